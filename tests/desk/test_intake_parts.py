"""Parts of Intake on their own: marks found by time, pictures that say what they show, a view that stays."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton

from tests.desk.test_intake_desk import intake, take  # noqa: F401 - a fixture
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.lines.i2c import I2cLine
from zesty_abacus.core.lines.levels import level_histogram, suggest_levels
from zesty_abacus.core.lines.registry import address_text
from zesty_abacus.core.lines.result import MarkKind, Vote
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.registers import RegisterState
from zesty_abacus.core.recipes.model import LevelSetting
from zesty_abacus.core.recipes.prepare import PreparedLine
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.samples import Samples
from zesty_abacus.desk.app import engine
from zesty_abacus.desk.desks.intake import marks
from zesty_abacus.desk.desks.intake.marks import MarkIndex, mark_text
from zesty_abacus.desk.desks.intake.pictures import LengthsView, LevelHistogramView, RegistersView, VotesView
from zesty_abacus.desk.desks.intake.wave_painter import _round_step
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.words import number_text


@pytest.fixture(autouse=True)
def application():
    return make_application()


def test_marks_are_drawn_by_the_numbers_core_gives_them():
    for kind in MarkKind:
        assert getattr(marks, kind.name) == kind


rows = st.lists(st.tuples(st.integers(0, 500), st.integers(0, 30), st.integers(0, 1), st.booleans()), max_size=60)


@given(rows, st.integers(-50, 550), st.integers(1, 300), st.integers(1, 40))
def test_marks_are_found_by_time_as_a_plain_search_finds_them(listed, first, span, columns):
    table = np.zeros((len(listed), 7), np.int64)
    for n, (start, length, line, wrong) in enumerate(sorted(listed)):
        table[n] = (start, start + length, MarkKind.DATA, 0, int(wrong), n, line)
    index = MarkIndex(table)
    for line in range(index.lines):
        found = index.between(first, first + span, line)
        wanted = [row for row in table.tolist() if row[6] == line and row[1] >= first and row[0] <= first + span]
        assert found.tolist() == wanted
    some, wrong = index.density(first, first + span, columns)
    bounds = first + (np.arange(columns + 1) * (span / columns)).astype(np.int64)
    for n in range(columns):
        inside = [row for row in table.tolist() if bounds[n] <= row[0] < bounds[n + 1]]
        assert some[n] == bool(inside) and wrong[n] == any(row[4] for row in inside)


def test_values_are_written_in_every_form():
    data = MarkKind.DATA
    assert [mark_text(data, 0x41, form) for form in ("hex", "dec", "bin", "text")] == ["41", "65", "01000001", "A"]
    assert mark_text(data, 0x01, "text") == "01" and mark_text(MarkKind.BREAK, 0, "hex") == "break"
    assert mark_text(MarkKind.BITS, 5, "bin") == "101" and mark_text(MarkKind.BITS, 5, "hex") == "05"


def test_an_address_says_whom_and_which_way():
    assert address_text(I2cLine(), 0x52) == "29 write" and address_text(I2cLine(), 0x53) == "29 read"
    assert address_text(I2cLine(), 0b1111_0001) == "10 bits, read"
    assert address_text(UartLine(), 0x52) is None and address_text(None, 0x52) is None


def test_numbers_are_written_as_people_type_them():
    assert [number_text(v) for v in (1.62, 19230.0, 433_920_000.0, 0.5)] == ["1.62", "19230", "433920000", "0.5"]


def test_steps_of_the_ruler_are_round():
    assert [_round_step(step) for step in (0.2, 1, 3, 7, 12, 60, 180, 99_999)] == [1, 1, 5, 10, 20, 100, 200, 100_000]


def painted(widget):
    """Paint a widget and return how many different colours it has."""
    widget.resize(250, max(widget.sizeHint().height(), 60))
    image = widget.grab().toImage()
    return len({image.pixel(x, y) for x in range(0, image.width(), 2) for y in range(image.height())})


def test_the_levels_seen_are_drawn_and_said():
    values = np.tile(np.repeat([0.1, 3.2], 50), 40) + np.random.default_rng(1).normal(0, 0.05, 4000)
    samples = Samples(values.astype(np.float32), 1e6)
    histogram = level_histogram(samples)
    setting = LevelSetting(channel="a", above=1.65)
    edges = Edges.of_toggles(np.array([10, 20]), 0, 0, 100)
    line = PreparedLine(setting, setting, edges, samples, None, histogram, suggest_levels(histogram))
    view = LevelHistogramView()
    view.show_lines({"a": line})
    assert "two levels" in view.accessibleDescription() and painted(view) > 3
    view.show_lines({})
    assert not view.isVisible()


def test_lengths_are_drawn_for_pulses_and_spaces():
    view = LengthsView()
    empty = painted(view)
    view.show_edges(Edges.of_toggles(np.cumsum([350, 1050, 350, 350, 1050, 9000] * 20) * 1000, 0, 0, 10**9))
    assert painted(view) > empty


def test_words_of_lengths_stand_where_bars_are_lower():
    view, left, right = LengthsView(), Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
    short = view.counts(260, np.array([350e3] * 5 + [1e9]), (5.4, 9.1))
    assert len(short) == 130 and short.sum() == 6 and view.side_for("pulses", short) == right
    assert view.side_for("pulses", short[::-1]) == left
    assert view.side_for("pulses", np.zeros(130, int)) == left
    middle = np.zeros(130, int)
    middle[60] = 9
    assert view.side_for("pulses", middle) == left, "bars in the middle are under neither"


def test_votes_are_drawn_and_said():
    bits = np.array([1, 0, 1, 1, 0, 0, 1, 0], np.uint8)
    view = VotesView()
    view.show_votes([Vote(np.arange(3), bits, np.array([1, 1, 2 / 3, 1, 1, 1, 1, 1]), 0, 10)])
    assert "B2 · 8 bits: 3 repeats, least agreement 67%" in view.accessibleDescription() and painted(view) > 3


def test_registers_are_drawn_where_they_were_seen():
    value, seen = np.zeros(64, np.uint8), np.full(64, -1, np.int64)
    value[0x10], seen[0x10], value[0x21], seen[0x21] = 7, 100, 9, 200
    view = RegistersView()
    view.show_state(0x5A, RegisterState(value, seen, 0x22))
    assert view.accessibleDescription() == "0x10 is 7, 0x21 is 9" and painted(view) > 3


def test_the_place_is_kept_when_the_trial_is_brought_in_again(intake):  # noqa: F811
    bench = take(intake, "bridge")
    clock = intake.session.clock
    bench.frames.go(2)
    bench.frames.show_frame(2)
    intake.settle()
    place = (clock.view_first_ns, clock.view_last_ns, clock.cursor_ns)
    intake.click(
        next(b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.text() == "Use these frames")
    )
    intake.wait_open()
    assert (clock.view_first_ns, clock.view_last_ns, clock.cursor_ns) == place
    assert bench.opened is not None and bench.frames.current() == 2, "the recording at hand goes on"


def test_the_overview_agrees_with_the_frames(intake):  # noqa: F811
    bench = take(intake, "bilge")
    busy, wrong = bench.frames.overview(500)
    first, last = bench.span_ns
    times = bench.frames.times()
    columns = ((times - first) * 500 // (last - first)).astype(np.int64)
    assert set(columns.tolist()) <= set(busy.tolist())
    bad = bench.outcome.result.frames.flags & engine.WRONG > 0
    assert abs(len(wrong) - len(np.unique(columns[bad]))) <= 1


def test_another_trial_lets_the_source_go(intake, tmp_path):  # noqa: F811
    take(intake, "bilge")
    path = tmp_path / "a.log"
    path.write_text("(1.0) can0 1A0#01\n(2.0) can0 1A0#02\n")
    intake.session.trials.trial = None
    intake.session.trials.open_paths([path])
    intake.wait_open()
    bench = intake.window.intake.bench
    assert bench.number == 0 and bench.opened is None and bench.outcome is None


def laid_out(session, name, lane, protocol, address, field):
    """Lay out one field of a message and return its trace."""
    layout = new_layout(name, Applies(address=address, protocol=protocol, lanes=(lane,)), 8, [field])
    session.edits.change(layout)
    numbers = [known.name for known in session.capture.lanes]
    kind = next(
        n for n, key in enumerate(session.capture.kinds.keys)
        if key.lane == numbers.index(lane) and key.address == address
    )  # fmt: skip
    return kind, field.id


def test_an_offset_is_estimated_by_a_field_that_two_lanes_hold(intake):  # noqa: F811
    """The pull of the tow goes over the CAN bus and over the load cell's wires; the latter's clock is put wrong."""
    session, bench = intake.session, take(intake, "winch")
    bench.offset.set(1_700_000_000)
    intake.wait_open()
    pull = new_field("pull", parse_places("B0..B3"), FieldKind.FLOAT)
    cell = next(n for n in session.reading.kinds_read() if session.reading.name(n) == "Load cell")
    load = session.reading.layout_of(cell).field_named("load")
    traces = [laid_out(session, "Tow", "thruster", "can", 0x2D0, pull), (cell, load.id)]
    intake.settle()
    session.traces.shown = traces
    bench.recipe_changed.emit()
    intake.click(
        next(b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.text().startswith("Estimate"))
    )
    intake.wait_open()
    assert "ms earlier: the two fields then agree by 100%" in intake.window.foot.told.text()
    assert abs(session.trial.file.lane_entry("winch").offset_ns) < 150_000_000, (
        "within a tenth of a second of the truth"
    )


def test_a_table_of_frames_shows_its_frames_and_its_addresses_may_be_decimal(empty, tmp_path):
    pilot = empty
    rows = "".join(f"2026-05-12 08:00:{n:02}.5,hall,{200 + n % 2},01 02 03 04\n" for n in range(40))
    hexed = rows.replace(",200,", ",1A0,").replace(",201,", ",210,")
    (tmp_path / "hall.csv").write_text("timestamp,bus,id,data\n" + hexed)
    (tmp_path / "plain.csv").write_text("timestamp,bus,id,data\n" + rows)
    pilot.session.trials.open_paths([tmp_path / "hall.csv", tmp_path / "plain.csv"])
    pilot.wait_open()
    pilot.key("1")
    desk = pilot.window.intake
    desk.show_source(0)
    pilot.settle()
    assert desk.out.isVisible() and not desk.came_out.isVisible() and len(desk.out.order()) == 80
    desk.show_source(1)
    pilot.settle()
    addresses = {key.address for key in pilot.session.capture.kinds.keys}
    assert addresses == {0x1A0, 0x210, 200, 201}, "digits alone are decimal"
    said = [one.text() for one in desk.recipe.findChildren(QLabel) if one.isVisible()]
    pairs = list(itertools.pairwise(said))
    for role, words in (("time", "timestamp, date"), ("lane", "bus"), ("address", "id, decimal"), ("payload", "data")):
        assert (role, words) in pairs
    pilot.click(button_of(desk.recipe, "Columns…"))
    choice = next(box for box in desk.picker.findChildren(QComboBox) if box.accessibleName() == "base")
    assert choice.currentText() == "decimal"
    choice.setCurrentIndex(choice.findText("hex"))
    choice.activated.emit(choice.currentIndex())
    pilot.settle()
    pilot.click(button_of(desk.picker, "Read it this way"))
    pilot.click(button_of(desk.recipe, "Use these frames"))
    assert {key.address for key in pilot.session.capture.kinds.keys} == {0x1A0, 0x210, 0x200, 0x201}
    assert "id, hex" in [one.text() for one in desk.recipe.findChildren(QLabel) if one.isVisible()]


def button_of(part, text):
    return next(one for one in part.findChildren(QPushButton) if one.text() == text and one.isVisible())
