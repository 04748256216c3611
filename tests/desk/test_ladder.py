"""A register map begun from traffic: the ladder shows what the capture holds in registers that nobody laid out."""

from __future__ import annotations

import msgspec
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from tests.trial.pieces import write_polls
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.words import grouped
from zesty_abacus.desk.app.doors import laid
from zesty_abacus.desk.desks.layouts.ladder import make_rungs

ENERGY = [120_000 + 37 * number for number in range(40)]


@pytest.fixture
def polled(empty, tmp_path):
    """Hands on Layouts with the polls of a meter: a number whose low register stands first, and one that stays."""
    rows = [[number & 0xFFFF, number >> 16, 7] for number in ENERGY]
    empty.session.trials.open_paths([write_polls(tmp_path / "meter.csv", rows)])
    empty.wait(lambda: empty.window.intake.bench.opened is not None, "the recording on Intake")
    empty.settle()
    empty.window.intake.bench.use()
    empty.wait_open()
    empty.key("4")
    return empty


def begun_at(pilot, kind):
    pilot.session.in_hand.take_kind(kind)
    pilot.settle()
    start = pilot.window.layouts.start
    said = start.words.text(), start.begin.text()
    pilot.click(start.begin)
    pilot.settle()
    return said


def kinds_of(pilot):
    words = [pilot.session.kinds.address(kind) for kind in range(len(pilot.session.capture.kinds.keys))]
    return words.index("17 · holding 107 request"), words.index("17 · holding 107 answer")


def numbers_at(pilot, place):
    """Return what the ladder says of its registers where a poll has gone, by register."""
    capture, answer = pilot.session.capture, kinds_of(pilot)[1]
    pilot.session.clock.set_cursor(int(capture.frames.times(capture.order_of_kind(answer).rows())[place]))
    pilot.settle()
    return dict(pilot.window.layouts.plan.pictures.ladder._now.registers)


def test_a_map_that_is_begun_shows_each_register_that_was_polled(polled):
    _, answer = kinds_of(polled)
    assert begun_at(polled, answer)[1] == "Begin a layout for this message"
    ladder = polled.window.layouts.plan.pictures.ladder
    shown = [(rung.first, rung.last, rung.seen) for rung in ladder.rungs]
    assert shown[-3:] == [(107, 107, True), (108, 108, True), (109, 109, True)]
    assert [number for number, one in ladder._held.items() if one.moves] == [107], "108 stays at 1"
    assert numbers_at(polled, 0) == {107: 120_000 - 65_536, 108: 1, 109: 7}
    assert numbers_at(polled, 9) == {107: 120_000 - 65_536 + 37 * 9, 108: 1, 109: 7}


def test_several_registers_are_offered_as_numbers_the_smoothest_first(polled):
    begun_at(polled, kinds_of(polled)[1])
    desk = polled.window.layouts
    ladder = desk.plan.pictures.ladder
    first, last = (QPointF(ladder.rung_of(number).center()) for number in (107, 108))
    polled.drag(ladder, first, last)
    menu = next(one for one in QApplication.topLevelWidgets() if isinstance(one, QMenu) and one.isVisible())
    words = [action.text() for action in menu.actions()]
    assert words[0].startswith("unsigned, ") and 4 <= len(words) <= 8
    said = f"unsigned, low word first, high byte first in each: {grouped(ENERGY[0])} … {grouped(ENERGY[-1])}"
    menu.setActiveAction(menu.actions()[words.index(said)])
    QTest.keyClick(menu, Qt.Key.Key_Return)
    polled.settle()
    (made,) = next(iter(polled.session.edits.layouts())).fields
    assert str(made.places) == "B216 B217 B214 B215" and desk.plan.current == made.id
    assert polled.window.focusWidget() is desk.plan.column.form.lines["name"]
    kept = [(rung.first, rung.last) for rung in ladder.rungs if rung.field is not None]
    assert kept == [(107, 108)] and ladder.rungs[-1].first == 109


def test_one_register_is_a_field_at_once(polled):
    begun_at(polled, kinds_of(polled)[1])
    ladder = polled.window.layouts.plan.pictures.ladder
    polled.click(ladder, QPointF(ladder.rung_of(109).center()))
    (made,) = next(iter(polled.session.edits.layouts())).fields
    assert (str(made.places), made.kind.value) == ("B218 B219", "unsigned")


def test_of_a_request_the_map_of_its_answer_is_begun(polled):
    request, answer = kinds_of(polled)
    words, begin = begun_at(polled, request)
    assert words == "No registers are in this message; they are in the other one of request and answer."
    assert begin == "Lay out the registers of the other one" and polled.session.in_hand.kind == answer
    (layout,) = polled.session.edits.layouts()
    assert layout.registers.device == 17 and polled.window.layouts.plan.pictures.shown == 2
    begun_at(polled, request)
    assert polled.session.in_hand.kind == answer and polled.session.edits.layouts() == [layout], "it is there already"


def test_registers_that_are_held_are_rungs_of_their_own(polled):
    begun_at(polled, kinds_of(polled)[1])
    (whole,) = polled.session.edits.layouts()
    reading = polled.session.reading
    reader = reading.readers(polled.session.in_hand.kind)[0]
    held = laid.HeldRegisters.of(reading.meaning, polled.session.in_hand.kind, reader, Progress()).registers
    spans = [(rung.first, rung.last, rung.seen) for rung in make_rungs(whole, reader.shown, held)]
    before = [(0, 0, False), (1, 1, False), (2, 2, False), (3, 106, False)]
    assert spans == [*before, (107, 107, True), (108, 108, True), (109, 109, True)]
    assert make_rungs(whole, reader.shown) == [], "without a capture and an end nothing is known"
    past = [past_the_end(make_rungs(with_end(whole, count), reader.shown, held)) for count in (111, 110, 109, 107)]
    assert past == [[], [], [(109, 109)], [(107, 109)]], "it carries 107 to 109"


def with_end(layout, count):
    return msgspec.structs.replace(layout, registers=msgspec.structs.replace(layout.registers, count=count))


def past_the_end(rungs):
    return [(rung.first, rung.last) for rung in rungs if rung.past_end]
