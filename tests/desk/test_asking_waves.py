"""Asking on Intake: what came out of a recipe is asked, and the wave moves with its hits."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tests.desk.test_asking import choose
from zesty_abacus.core.frames import flags as F


@pytest.fixture
def intake(pilot):
    """Return the Intake desk with the bilge recording, all of it decoded."""
    desk = pilot.window.intake
    pilot.window.show_desk("Intake")
    names = [outcome.path.name for outcome in pilot.session.outcomes]
    desk.left.choose(next(number for number, name in enumerate(names) if "bilge" in name))
    pilot.wait(lambda: desk.bench.outcome is not None and desk.bench.is_whole, "the whole outcome")
    pilot.settle()
    return desk


def ask(pilot, desk, text):
    pilot.type(desk.condition.line, text)
    pilot.wait(lambda: desk.asking.hits is not None and desk.asking.text == text, text)
    pilot.settle()


def test_q_asks_of_what_came_out(pilot, intake):
    intake.came_out.setFocus()
    pilot.key("Q")
    assert intake.condition.line.hasFocus() and not pilot.window.read.condition.line.hasFocus()


def test_an_address_and_direction_a_value_and_a_fault_are_found(pilot, intake):
    table = intake.bench.outcome.result.frames
    ask(pilot, intake, 'address == 0x5A and way == "read"')
    wanted = [n for n in range(len(table)) if table.address[n] >> 16 == 0x5A and table.flags[n] & F.READ]
    assert intake.asking.hits.rows.tolist() == wanted and len(wanted) > 20
    assert "that read" in intake.condition.said.text()
    ask(pilot, intake, 'flag("not acknowledged")')
    assert intake.asking.hits.rows.tolist() == [n for n in range(len(table)) if table.flags[n] & F.REFUSED]
    first = table.payload_of(wanted[0])[:2].hex()
    ask(pilot, intake, f'has_bytes("{first}")')
    assert wanted[0] in intake.asking.hits.rows
    ask(pilot, intake, "level > 182 mm")
    assert len(intake.asking.hits) and "level is above 182 mm" in intake.condition.said.text()


def test_space_puts_the_hit_into_the_middle_of_the_wave(pilot, intake):
    ask(pilot, intake, 'flag("not acknowledged")')
    clock, times = pilot.session.clock, intake.asking.hits.time_ns
    clock.set_cursor(int(times[0]) - 1_000_000)
    clock.set_view(int(times[0]) - 1_000_000, int(times[0]) + 1_000_000)
    intake.came_out.setFocus()
    QTest.keyClick(intake.came_out, Qt.Key.Key_Space)
    pilot.settle()
    assert clock.cursor_ns == times[0]
    middle = (clock.view_first_ns + clock.view_last_ns) // 2
    assert abs(middle - clock.cursor_ns) <= 2
    assert intake.bench.frames.current() == intake.asking.hits.rows[0], "list, wave and value are at one frame"
    assert pilot.session.asking.text == "", "the open capture was not asked"


def test_a_mistake_is_told_and_another_recipe_is_asked_anew(pilot, intake):
    pilot.type(intake.condition.line, 'lane == "thruster"')
    pilot.wait(lambda: intake.asking.trouble, "the mistake")
    assert "no lane called" in intake.condition.said.text()
    ask(pilot, intake, "size >= 0")
    count = len(intake.asking.hits)
    assert count == len(intake.bench.outcome.result.frames)
    intake.bench.take(None)
    pilot.settle()
    assert intake.asking.hits is None


def test_a_row_and_a_block_of_the_wave_are_pointed_at(pilot, intake):
    came, waves, clock = intake.came_out, intake.waves, pilot.session.clock
    came.set_first(0)
    choose(pilot, came.viewport(), QPoint(60, came.head_height + 10), "of this address")
    assert intake.asking.text.startswith('lane == "bilge" and address == 0x') and len(intake.asking.hits)
    table = intake.bench.outcome.result.frames
    row = next(n for n in range(len(table)) if len(table.payload_of(n)) >= 2)
    intake.bench.frames.show_frame(row)
    pilot.settle()
    marks = waves.place.visible_marks(0)
    data = next(mark for mark in marks if mark[2] == 5 and mark[5] == row and mark[3] == table.payload_of(row)[-1])
    first, last = waves.place.view()
    share = ((data[0] + data[1]) / 2 - first) / (last - first)
    plot = waves.place.plot()
    point = QPoint(int(plot.left() + share * plot.width()), int(waves.place.marks_box(0).center().y()))
    choose(pilot, waves, point, "frames with the byte")
    assert intake.asking.text == f'has_bytes("{data[3]:02X}")' and row in intake.asking.hits.rows
    assert clock.cursor_ns >= first
