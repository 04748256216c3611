"""Exchanges in the real window: a line a request, those that went wrong first, gone through by mouse and keys."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from zesty_abacus.core.pairing.exchanges import exchanges_of


@pytest.fixture
def listed(pilot):
    desk = pilot.window.read
    pilot.window.show_desk("Read")
    pilot.click(desk.answers)
    yield desk.exchanges
    if desk.wrong_first.isChecked():
        pilot.click(desk.wrong_first, QPointF(8, desk.wrong_first.height() / 2))
    pilot.click(desk.all_kinds)


def test_every_request_is_a_line_with_what_came_back(pilot, listed):
    expected = exchanges_of(pilot.session.reading.meaning)
    assert listed.isVisible() and listed.count() == len(expected) > 1000
    assert not pilot.window.read.frames.isVisible()
    first = listed.number(0)
    assert listed.lines.question(first) == "1 · input registers 0 request: count 6"
    assert listed.lines.came(first).says.startswith("voltage 1 228.8 V") and listed.lines.took(first) == "4 ms"
    assert listed.lines.state(first) == "answered"


def test_unanswered_first_and_back(pilot, listed):
    box = pilot.window.read.wrong_first
    pilot.click(box, QPointF(8, box.height() / 2))
    states = [listed.lines.state(listed.number(place)) for place in range(14)]
    assert states == ["unanswered"] * 8 + ["refused"] * 2 + ["late"] * 2 + ["answered"] * 2
    listed.setFocus()
    QTest.keyClick(listed, Qt.Key.Key_Home)
    pilot.settle()
    chosen = listed.number(0)
    request = pilot.session.capture.frames.at(int(pilot.session.exchanges.found.request[chosen]))
    assert pilot.session.clock.cursor_ns == request.time_ns
    pilot.click(box, QPointF(8, box.height() / 2))
    assert listed.number(listed.current()) == chosen, "the one in hand stays in hand"
    assert listed.first() <= listed.current() < listed.first() + listed.slots()


def test_a_click_on_what_came_back_goes_to_the_answer(pilot, listed):
    listed.set_first(0)
    viewport = listed.viewport()
    y = listed.head_height + 10
    pilot.click(viewport, QPointF(200, y))
    number = listed.number(0)
    found, frames, clock = pilot.session.exchanges.found, pilot.session.capture.frames, pilot.session.clock
    assert clock.cursor_ns == frames.at(int(found.request[number])).time_ns
    listed.set_first(0)
    pilot.click(viewport, QPointF(viewport.width() - 60, y))
    assert clock.cursor_ns == frames.at(int(found.answer[number])).time_ns
    assert pilot.session.kinds.name(pilot.session.in_hand.kind) == "Shore meter"


def test_the_list_follows_the_cursor(pilot, listed):
    pilot.session.clock.set_cursor(pilot.session.capture.origin_ns + 60_000_000_000)
    pilot.settle()
    number = listed.number(listed.current())
    times = pilot.session.capture.frames.times(pilot.session.exchanges.found.request)
    assert times[number] <= pilot.session.clock.cursor_ns < times[number + 1]


def test_of_two_things_at_the_cursor_that_of_the_message_in_hand_is_told(pilot, listed):
    """A slow answer of the shore meter comes while the load cell is asked, too."""
    session = pilot.session
    found, frames = session.exchanges.found, session.capture.frames
    slow = int(found.took_ns.argmax())
    session.clock.set_cursor(session.capture.origin_ns)
    session.in_hand.take_kind(session.store.kind_of_row(int(found.answer[slow])))
    session.clock.set_cursor(frames.at(int(found.answer[slow])).time_ns)
    assert listed.number(listed.current()) == slow
    later = int(session.exchanges.times.searchsorted(session.clock.cursor_ns, side="right")) - 1
    assert later > slow, "others were asked before it came"


def test_of_two_messages_at_the_cursor_the_one_taken_in_hand_last_counts(pilot, listed):
    session = pilot.session
    found, frames = session.exchanges.found, session.capture.frames
    slow = int(found.took_ns.argmax())
    session.clock.set_cursor(frames.at(int(found.answer[slow])).time_ns)
    session.in_hand.take_kind(session.store.kind_of_row(int(found.answer[slow])))
    assert listed.number(listed.current()) == slow
