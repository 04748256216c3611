"""What the program finds out, looked at and kept by hand on the desk."""

import msgspec
import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.desk.conftest import WANT
from zesty_abacus.core.unravel.finding import Finding
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.app.settings import demo_folder
from zesty_abacus.desk.desks.unravel.side import FINDINGS, SELECTION
from zesty_abacus.desk.window import Window

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def finder(found_demo, pilot, monkeypatch):
    """Return hands on Unravel, with the findings of the Yuzu trial as they are kept with it."""
    return finding(pilot, monkeypatch)


@pytest.fixture
def looking(pilot, monkeypatch):
    """Return hands on Unravel where nothing is kept, so that the findings were looked for."""
    (demo_folder() / "findings.json").unlink(missing_ok=True)
    return finding(pilot, monkeypatch)


def finding(pilot, monkeypatch):
    monkeypatch.setattr(Findings, "want", WANT)
    pilot.wait(lambda: pilot.session.overlays.references, "the references, which findings are looked for with")
    pilot.window.show_desk("Unravel")
    pilot.wait(lambda: pilot.session.findings.everything() and not pilot.session.findings.is_looking, "the findings")
    pilot.settle()
    return pilot


def side(pilot):
    return pilot.window.unravel.side


def take(pilot, address, kind, places=""):
    pilot.session.in_hand.take_kind(pilot.kind(address))
    pilot.settle()
    found = next(
        one
        for one in pilot.session.findings.of(pilot.session.in_hand.kind)
        if one.kind == kind and places in one.places
    )
    row = side(pilot).findings.rows.things.index((pilot.session.in_hand.kind, found))
    side(pilot).findings.rows.set_first(row)
    pilot.settle()
    place = side(pilot).findings.rows
    pilot.click(place.viewport(), QPointF(60, (row - place.first()) * place.row_height + 20))
    pilot.settle()
    return found


def test_a_finding_in_hand_lights_its_bits_and_says_why(finder):
    found = take(finder, 0x2C1, "counter")
    assert finder.session.in_hand.bits == frozenset({48, 49, 50, 51})
    hand = side(finder).findings.hand
    assert hand.reason.text() == found.reason and "11\u2009999" in hand.reason.text()
    assert hand.counts.text() == "11\u2009999 frames speak for it, none against."
    assert finder.window.unravel.reckoner.readings, "the reckoner reads the bits of the finding"
    assert side(finder).page == FINDINGS


def test_kept_by_key_it_is_in_the_library_and_leaves_the_list(finder):
    take(finder, 0x2C1, "counter")
    hand = side(finder).findings.hand
    finder.type(hand.message, "Hull motion")
    finder.window.setFocus()
    finder.key("K")
    finder.settle()
    layout = finder.session.reading.layout_of(finder.session.in_hand.kind)
    assert layout.name == "Hull motion"
    assert [str(field.places) for field in layout.fields] == ["B6[3..0]"] and len(layout.checks) == 1
    assert all(one.kind != "counter" for one in finder.session.findings.of(finder.session.in_hand.kind))
    finder.window.session.undo.undo()
    finder.settle()
    assert finder.session.reading.layout_of(finder.session.in_hand.kind) is None


def test_a_reference_gives_name_unit_and_scale(finder):
    take(finder, 0x2C1, "reference", "B2 B3")
    hand = side(finder).findings.hand
    assert (hand.name.text(), hand.unit.text()) == ("speed_kn", "kn")
    assert hand.scale.text() == "In steps of 0.01, from 0 on."
    assert hand.keep_it()
    finder.settle()
    field = finder.session.reading.layout_of(finder.session.in_hand.kind).field_named("speed_kn")
    assert (str(field.places), str(field.ratio), field.offset, field.unit) == ("B2 B3", "1/100", 0, "kn")


def test_all_that_is_likely_is_kept_and_taken_back_as_one(finder):
    finder.session.in_hand.take_kind(finder.kind(0x2C1))
    finder.settle()
    finder.window.setFocus()
    finder.key("K", SHIFT)
    finder.settle()
    layout = finder.session.reading.layout_of(finder.session.in_hand.kind)
    assert {"speed_kn", "course_deg"} <= {field.name for field in layout.fields} and len(layout.checks) == 2
    explained = finder.session.reading.counts.explained_of(finder.session.in_hand.kind)
    assert explained.share > 0.95
    finder.session.undo.undo()
    finder.settle()
    assert finder.session.reading.layout_of(finder.session.in_hand.kind) is None


def test_show_goes_to_the_frame_that_speaks_for_it(finder):
    take(finder, 0x2C1, "counter")
    finder.window.setFocus()
    finder.key("S")
    finder.settle()
    frame = finder.session.store.frame_at(finder.session.in_hand.kind, None, finder.session.clock.cursor_ns)
    assert frame.payload[6] & 0xF == 0, "where it wraps"


def test_keys_go_through_the_list_and_the_hand_takes_over(finder):
    finder.session.in_hand.take_kind(finder.kind(0x2C1))
    finder.window.setFocus()
    finder.key("J")
    finder.key("J")
    assert side(finder).findings.rows.current() == 1
    finder.key("J", SHIFT)
    assert side(finder).findings.rows.current() == 0
    finder.session.in_hand.select_bits(frozenset({0, 1}))
    assert side(finder).page == SELECTION, "bits that are selected by hand are told of"


def test_pointing_at_one_lights_its_beads(finder):
    take(finder, 0x2C1, "counter")
    rows = side(finder).findings.rows
    check = next(row for row, (_, one) in enumerate(rows.things) if one.kind == "check")
    rows.set_first(check)
    rows.pointed.emit(rows.things[check])
    assert finder.session.findings.lit == frozenset(range(56, 64))
    rows.pointed.emit(None)
    assert finder.session.findings.lit == frozenset()


def test_the_whole_capture_is_listed_with_its_messages(finder):
    panel = side(finder).findings
    panel.scope.setCurrentIndex(1)
    finder.settle()
    assert len(panel.rows.things) > 100 and not panel.keep_all.isVisible()
    kinds = {kind for kind, _ in panel.rows.things}
    assert len(kinds) > 10
    assert panel.rows.where(*panel.rows.things[0]).startswith("0x")


def test_they_are_there_at_once_the_next_time(finder):
    session = finder.session
    path = session.trial.folder / "findings.json"
    assert path.exists()
    known = {kind: session.findings.of(kind) for kind in range(len(session.capture.kinds.keys))}
    again = Window(type(session)())
    try:
        again.session.trials.open(session.trial.folder)
        finder.wait(lambda: again.session.overlays.references, "the trial once more, with its references")
        again.session.findings._is_wanted = True
        again.session.findings._look()
        finder.wait(lambda: not again.session.findings.is_looking, "the findings once more")
        assert not again.session.findings._last.views, "nothing was looked for again"
        for kind, findings in known.items():
            assert again.session.findings.of(kind) == findings
    finally:
        again.close()


def test_the_roster_puts_the_most_rewarding_message_first(finder):
    roster = finder.window.roster
    roster.order.setCurrentText("most rewarding first")
    finder.settle()
    first = next(entry for entry in roster.model.entries if isinstance(entry, int))
    reward = finder.session.findings.reward
    assert reward(first) == max(reward(kind) for kind in roster.model.entries[1:6])
    assert finder.session.kinds.name(first) == ""


def test_an_edit_looks_again_only_at_what_it_touches(looking):
    session = looking.session
    before = dict(session.findings._last.views)
    take(looking, 0x2C1, "counter")
    assert side(looking).findings.hand.keep_it()
    looking.wait(lambda: not session.findings._soon.isActive() and not session.findings.is_looking, "the second look")
    after = session.findings._last.views
    other = [kind for kind in before if after[kind] is not before[kind]]
    assert other == [session.in_hand.kind], "all others are the very same"


def test_findings_are_values():
    made = Finding("can0", 1, "", "", "constant", "B0", {"value": 3}, 9, 0, 0.9, "It is 3.")
    assert msgspec.json.decode(msgspec.json.encode(made), type=Finding) == made
