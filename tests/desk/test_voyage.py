"""The whole way through in the real window: see, read, find, keep, undo, reopen, hand over."""

import csv

import pytest
from PyQt6.QtCore import Qt

from zesty_abacus.core.library.store import Library
from zesty_abacus.desk.launch import make_window

CONTROL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
SPEED_BITS = frozenset(range(16, 32))


def keep_water_speed(pilot):
    """Do what a user does: pick the unnamed message, drag its beads, name the reading."""
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.drag_beads(23, 24)
    panel = pilot.window.unravel.side.selection
    pilot.type(panel.message, "Motion")
    pilot.type(panel.field, "water speed")
    pilot.type(panel.step, "0.01")
    pilot.type(panel.unit, "kn")
    pilot.click(panel.keep)


def test_from_an_unnamed_message_to_a_field_in_the_library(pilot):
    session = pilot.session
    kind = pilot.kind(0x2C1)
    before = session.reading.counts.explained_of_all()
    assert session.reading.layout_of(kind) is None and session.reading.counts.explained[kind].claimed == 0
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.drag_beads(23, 24)
    assert session.in_hand.bits == SPEED_BITS
    reckoner = pilot.window.unravel.reckoner
    assert reckoner.readings[0].reading.words == "signed, high byte first"
    keep_water_speed(pilot)
    layout = session.reading.layout_of(kind)
    assert (layout.name, layout.applies.address, layout.applies.lanes) == ("Motion", 0x2C1, ("thruster",))
    field = layout.field_named("water speed")
    assert (str(field.places), field.kind.value, str(field.ratio), field.unit) == ("B2 B3", "signed", "1/100", "kn")
    assert session.reading.counts.explained[kind].claimed == 16
    assert session.reading.counts.explained_of_all().claimed == pytest.approx(before.claimed + 16)
    assert session.in_hand.bits == frozenset(), "the form is ready for the next one"


def test_the_new_field_is_read_at_the_cursor_and_as_a_trace(pilot):
    keep_water_speed(pilot)
    pilot.key("2")
    pilot.settle()
    values = pilot.window.read.side.readout.values
    values.refresh()
    row = next(r for r in values.rows() if r.title == "water speed")
    assert row.value.endswith(" kn")
    number = values.rows().index(row)
    pilot.click(values, values.row_center(number))
    assert (row.kind, row.field_id) in pilot.session.traces.shown
    _, curve = pilot.session.store.curve(row.kind, pilot.session.reading.layout_of(row.kind), row.field_id)
    low, high = curve.value_range()
    assert -9 < low < -5 and 5 < high < 9
    pilot.click(values, values.row_center(number))
    assert (row.kind, row.field_id) not in pilot.session.traces.shown


def test_closing_and_opening_again_finds_it_with_who_when_and_why(pilot):
    pilot.session.edits.line.author = "bench engineer"
    keep_water_speed(pilot)
    path = pilot.session.library.address
    pilot.window.close()
    library = Library.open(path)
    layout = next(item for item in library.layouts.states() if item.name == "Motion")
    revision = library.layouts.history(layout.id)[0]
    library.close()
    assert revision.author == "bench engineer"
    assert revision.reason.startswith("water speed found at B2 B3: signed, high byte first; smooth, largest step")
    again = make_window(demo=True)
    again.show()
    from tests.desk.pilot import Pilot

    other = Pilot(again)
    other.wait_open()
    assert other.session.reading.layout_of(other.kind(0x2C1)).field_named("water speed") is not None
    other.key("4")
    other.pick_kind(0x2C1)
    other.wait(lambda: other.window.layouts.side.changes, "the history")
    assert other.window.layouts.side.changes[0].revision.author == "bench engineer"
    again.close()


def test_undo_and_redo_are_changes_of_their_own(pilot):
    keep_water_speed(pilot)
    kind = pilot.kind(0x2C1)
    layout = pilot.session.reading.layout_of(kind)
    share = pilot.session.reading.counts.explained_of_all().claimed
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert pilot.session.reading.layout_of(kind) is None
    assert pilot.session.reading.counts.explained_of_all().claimed == pytest.approx(share - 16)
    pilot.key(Qt.Key.Key_Z, CONTROL | SHIFT)
    assert pilot.session.reading.layout_of(kind) == layout
    history = pilot.session.library.layouts.history(layout.id)
    assert [item.removed for item in history] == [False, True, False]
    assert history[1].reason.startswith("undone: ")


def test_what_is_missing_is_said_and_nothing_is_kept(pilot):
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    panel = pilot.window.unravel.side.selection
    assert not panel.keep_field()
    pilot.drag_beads(23, 24)
    pilot.click(panel.keep)
    assert panel.problem.text() == "Give the message a name; it has none yet."
    pilot.type(panel.message, "Motion")
    pilot.click(panel.keep)
    assert panel.problem.text() == "Give the field a name."
    pilot.type(panel.field, "speed")
    for wrong in ("abc", "1/0", "1e999"):
        pilot.type(panel.step, wrong)
        assert "is not a number" in panel.problem.text()
        pilot.click(panel.keep)
        assert pilot.session.reading.layout_of(pilot.kind(0x2C1)) is None
    pilot.type(panel.step, "0")
    pilot.click(panel.keep)
    assert "ratio 0" in panel.problem.text() and panel.field.text() == "speed", "what was typed is still there"
    pilot.type(panel.step, "0.01", enter=True)
    assert pilot.session.reading.layout_of(pilot.kind(0x2C1)).field_named("speed") is not None


def test_an_overlap_is_refused_in_a_sentence(pilot):
    keep_water_speed(pilot)
    pilot.drag_beads(31, 24)
    panel = pilot.window.unravel.side.selection
    pilot.type(panel.field, "other")
    pilot.click(panel.keep)
    assert panel.problem.text() == "other overlaps water speed at byte 3, bit 0."


def test_decoded_values_are_handed_over(pilot, tmp_path):
    keep_water_speed(pilot)
    pilot.key("6")
    desk = pilot.window.handover.tables
    for form in ("csv", "parquet"):
        desk.choose("form", form)
        desk.choose("messages", "kind")
        target = tmp_path / f"speed.{form}"
        pilot.type(desk.path, str(target))
        pilot.click(desk.target.write)
        assert target.exists(), form
    with (tmp_path / "speed.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 12_000 and {row["field"] for row in rows} == {"water speed"}
    assert desk.preview.names[:3] == ["time_ns", "lane", "address"] and len(desk.preview.rows) == 40
    pilot.type(desk.path, str(tmp_path / "no" / "a.csv"))
    pilot.click(desk.target.write)
    assert "cannot be written" in desk.problem.text()


def test_the_view_alone_can_be_handed_over(pilot, tmp_path):
    clock = pilot.session.clock
    clock.set_view(clock.first_ns + 10**9, clock.first_ns + 2 * 10**9)
    pilot.key("6")
    desk = pilot.window.handover.tables
    desk.choose("content", "frames")
    desk.choose("span", "view")
    pilot.type(desk.path, str(tmp_path / "a.csv"), enter=True)
    with (tmp_path / "a.csv").open() as file:
        times = [int(row["time_ns"]) for row in csv.DictReader(file)]
    assert clock.view_first_ns <= times[0] and times[-1] <= clock.view_last_ns
