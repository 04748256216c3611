"""What pictures show as a plain list: words by words, and what a choice does."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from tests.desk.pilot import Pilot
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.paint import draw_text
from zesty_abacus.desk.widgets.theme import text_font
from zesty_abacus.desk.widgets.told import surface_of, told_lines


class Board(QWidget):
    """Paints words; those of one line in another order than they are read."""

    def paintEvent(self, event):
        painter = QPainter(self)
        draw_text(painter, QRectF(0, 40, 300, 20), "below", text_font(), "black")
        draw_text(painter, QRectF(0, 0, 60, 20), "12.5 deg", text_font(), "black", Qt.AlignmentFlag.AlignRight)
        draw_text(painter, QRectF(0, 0, 60, 20), "a name that is much too long for it", text_font(), "black")
        painter.translate(100, 1)
        draw_text(painter, QRectF(0, 0, 60, 20), "moved", text_font(), "black")
        painter.end()


def test_words_are_told_in_full_and_as_they_are_read():
    make_application()
    board = Board()
    board.resize(300, 100)
    first, second = told_lines(board)
    assert first.words == "a name that is much too long for it, 12.5 deg, moved"
    assert (second.words, second.at) == ("below", QPointF(12, 50))
    assert told_lines(QWidget()) == []


def listed(pilot: Pilot, part: QWidget) -> list[str]:
    part.setFocus()
    pilot.key("L")
    words = pilot.window.in_words
    assert words.isVisible() and words.list.hasFocus()
    return [words.list.item(row).text() for row in range(words.list.count())]


def choose(pilot: Pilot, words: str) -> None:
    board = pilot.window.in_words
    row = next(row for row in range(board.list.count()) if words in board.list.item(row).text())
    board.list.setCurrentRow(row)
    pilot.key(Qt.Key.Key_Return)
    assert not board.isVisible()


def test_moments_and_lanes_of_the_strip_and_a_choice_goes_there(pilot):
    strip = pilot.window.strip
    lines = listed(pilot, strip)
    assert lines[:2] == ["12.000\u2009000 s: bow thruster on", "21.000\u2009000 s: bow thruster off"]
    assert "thruster, CAN 500k · 60%" in lines
    choose(pilot, "full astern")
    zero = pilot.session.clock.first_ns
    assert pilot.session.clock.cursor_ns == zero + 86 * 10**9 and strip.hasFocus()


def test_frames_say_all_of_themselves_and_a_choice_puts_the_cursor_there(pilot):
    frames = pilot.window.read.frames
    lines = listed(pilot, frames)
    assert lines[0].startswith("time s, after, lane, message, says")
    line = next(one for one in lines if ", Azimuth command port," in one)
    assert "angle set" in line and "thrust set" in line and "mode" in line and "…" not in line
    time = line.split(",")[0]
    choose(pilot, line)
    assert frames.line(frames.current()).time == time


def test_values_and_traces_are_a_line_each(pilot):
    read = pilot.window.read
    lines = listed(pilot, read.traces)
    assert [one.split(",")[0] for one in lines[:2]] == ["angle set", "current"]
    assert lines[0].endswith("Azimuth command port") and " deg" in lines[0]
    pilot.key(Qt.Key.Key_Escape)
    assert not pilot.window.in_words.isVisible() and read.traces.hasFocus()
    values = listed(pilot, read.side.readout.values)
    assert "mode, transit" in values
    shown = len(pilot.session.traces.shown)
    choose(pilot, "thrust set")
    assert len(pilot.session.traces.shown) == shown + 1, "as a click on the value"


def test_bits_findings_and_the_history_of_a_message(pilot):
    pilot.key("3")
    pilot.pick_kind(0x1A0)
    unravel = pilot.window.unravel
    lines = listed(pilot, unravel.abacus)
    payload = unravel.abacus._state.payload
    assert lines == [f"B{place}, {octet:08b}, {octet:02X}" for place, octet in enumerate(payload)]
    pilot.key("L")
    history = told_lines(unravel.history)
    assert history[1].words == "B0: bits 7 6 5 4 3 2 1 0 change"
    assert history[6].words == "B5: never changes"


def test_every_desk_says_something_of_its_work(pilot):
    window = pilot.window
    for desk in ("Intake", "Read", "Unravel", "Layouts", "Rehearse"):
        window.show_desk(desk)
        pilot.settle()
        assert told_lines(window._home()), desk
    window.show_desk("Read")
    window.roster.view.setFocus()
    # what has the keys paints nothing itself: the work of the desk is listed
    pilot.window.read.side.readout.setFocus()
    pilot.key("L")
    assert window.in_words.isVisible() and window.in_words.list.count() > 3


def test_another_desk_takes_it_away(pilot):
    pilot.pick_kind(0x1A0)
    listed(pilot, pilot.window.read.frames)
    pilot.key("3")
    assert not pilot.window.in_words.isVisible() and pilot.window.unravel.isVisible()
    assert pilot.window.focusWidget() is pilot.window.unravel.abacus


def test_a_click_goes_to_what_is_painted_on(pilot):
    assert surface_of(pilot.window.read.frames) is pilot.window.read.frames.viewport()
    assert surface_of(pilot.window.strip) is pilot.window.strip
