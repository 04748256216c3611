"""Side by side in the real window: set beside one another, walked through, what differs lit and said."""

import re

import pytest
from PyQt6.QtCore import QPointF

from zesty_abacus.core.beside.compare import compare


@pytest.fixture
def listed(pilot):
    desk = pilot.window.read
    pilot.window.show_desk("Read")
    pilot.pick_kind(0x1A0)
    pilot.click(desk.side_by_side)
    yield desk.beside
    pilot.click(desk.all_kinds)


def test_a_message_of_one_lane_says_what_to_do_and_another_is_added(pilot, listed):
    assert listed.isVisible() and listed.count() == 0 and "then press Add" in listed._hint()
    assert not pilot.window.read.form.isVisible()
    pilot.pick_kind(0x1A8)
    pilot.click(pilot.window.read.beside_buttons["add"])
    assert listed.count() == 2
    kinds = [pilot.kind(0x1A0), pilot.kind(0x1A8)]
    expected = compare(pilot.session.reading.meaning, kinds)[1]
    side = pilot.session.beside.sides[1]
    assert side.matched.by == "counter" and side.matched.lag_ns == expected.matched.lag_ns
    assert listed.title(1) == "thruster · Azimuth command starboard 0x1A8"


def test_what_differs_at_the_cursor_is_lit_and_said(pilot, listed):
    pilot.pick_kind(0x1A8)
    pilot.click(pilot.window.read.beside_buttons["add"])
    side, clock = pilot.session.beside.sides[1], pilot.session.clock
    clock.set_cursor(clock.first_ns)
    pilot.click(pilot.window.read.beside_buttons["on"])
    first, second = listed.frame(0), listed.frame(1)
    assert clock.cursor_ns == first.time_ns and second.time_ns - first.time_ns == side.matched.lag_ns
    lit = listed.unlike(1)
    assert lit == {n for n, (a, b) in enumerate(zip(first.payload, second.payload, strict=True)) if a != b} and lit
    said = listed.values(1)
    assert any(re.fullmatch(r"check: \d+ \(0x[0-9A-F]+\) \| \d+ \(0x[0-9A-F]+\)", words) for words in said)
    angle = next(words for words in said if words.startswith("angle set: "))
    value, raw, bits = re.search(r"\| (\S+) deg \((\S+), 0x(\w+)\)", angle).groups()
    number = int(raw.replace("−", "-").replace("\u2009", ""))
    assert second.payload[:2] == number.to_bytes(2, "little", signed=True) and int(bits, 16) == number & 0xFFFF
    assert float(value.replace("−", "-")) == pytest.approx(number * 0.05)
    before = clock.cursor_ns
    pilot.click(pilot.window.read.beside_buttons["on"])
    assert clock.cursor_ns > before
    pilot.click(pilot.window.read.beside_buttons["back"])
    assert clock.cursor_ns == before


def test_clicks_take_a_stream_in_hand_and_then_go_to_the_next_difference(pilot, listed):
    pilot.pick_kind(0x1A8)
    pilot.click(pilot.window.read.beside_buttons["add"])
    clock = pilot.session.clock
    clock.set_cursor(clock.first_ns)
    pilot.click(listed.viewport(), QPointF(100, 20))
    assert (
        listed.row_in_hand == 0
        and pilot.session.in_hand.kind == pilot.kind(0x1A0)
        and clock.cursor_ns == clock.first_ns
    )
    pilot.click(listed.viewport(), QPointF(100, 90))
    assert listed.row_in_hand == 1 and pilot.session.in_hand.kind == pilot.kind(0x1A8)
    pilot.click(listed.viewport(), QPointF(100, 90))
    assert clock.cursor_ns > clock.first_ns


def test_it_follows_an_edit_and_another_beginning(pilot, listed):
    pilot.pick_kind(0x1A8)
    pilot.click(pilot.window.read.beside_buttons["add"])
    pilot.session.beside.leave_out(pilot.kind(0x1A0))
    pilot.settle()
    assert pilot.session.beside.sides == []
    pilot.pick_kind(0x1A1)
    pilot.click(pilot.window.read.beside_buttons["begin"])
    assert pilot.session.beside.numbers == [pilot.kind(0x1A1)]
