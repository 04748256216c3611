"""Asking in the real window: type, step, list, write, point."""

import csv
import json

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from zesty_abacus.core.conditions.against import against
from zesty_abacus.core.conditions.bind import bind
from zesty_abacus.core.conditions.hits import find
from zesty_abacus.core.conditions.pointing import of_bits, of_frame, of_mark
from zesty_abacus.core.frames import flags as F
from zesty_abacus.desk.around.against_line import named

BILGE = 'lane == "bilge" and address == 0x5A and way == "read"'


@pytest.fixture
def line(pilot):
    yield pilot.window.read.condition
    pilot.session.asking.ask("")
    pilot.window.read.all_kinds.setChecked(True)
    pilot.settle()


def ask(pilot, line, text, *, enter=False):
    pilot.type(line.line, text, enter=enter)
    pilot.wait(lambda: pilot.session.asking.text == text, "the condition to be taken")
    pilot.settle()


def choose(pilot, widget, point, words):
    """Open the menu at a point and choose the line with these words."""
    QApplication.sendEvent(widget, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, point, widget.mapToGlobal(point)))
    pilot.settle()
    menu = next(menu for menu in QApplication.topLevelWidgets() if isinstance(menu, QMenu) and menu.isVisible())
    action = next(action for action in menu.actions() if words in action.text())
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    pilot.settle()


def test_q_asks_and_the_meaning_is_said_back(pilot, line):
    pilot.window.show_desk("Read")
    pilot.key("Q")
    assert line.line.hasFocus()
    ask(pilot, line, BILGE)
    assert line.said.text().startswith("frames on bilge of address 0x5A that read: 28 hits, first at ")
    asking = pilot.session.asking
    assert len(asking.hits) == 28 and line.write.isEnabled()


def test_space_goes_through_the_hits_on_every_desk(pilot, line):
    ask(pilot, line, BILGE, enter=True)
    clock, hits = pilot.session.clock, pilot.session.asking.hits
    assert clock.cursor_ns == hits.time_ns[0], "Enter goes to the first behind the cursor"
    for desk in ("Read", "Unravel", "Layouts", "Intake"):
        pilot.window.show_desk(desk)
        before = clock.cursor_ns
        QTest.keyClick(pilot.window.strip, Qt.Key.Key_Space)
        pilot.settle()
        assert clock.cursor_ns > before and clock.cursor_ns in hits.time_ns
        assert clock.view_first_ns <= clock.cursor_ns <= clock.view_last_ns
    pilot.window.show_desk("Read")
    QTest.keyClick(pilot.window.strip, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    pilot.settle()
    assert line.count.text() == "4 of 28" and pilot.window.foot.hits.text() == "hit 4 of 28"


def test_the_list_shows_hits_only_with_the_distance_between_them(pilot, line):
    ask(pilot, line, BILGE)
    pilot.click(pilot.window.read.only_hits)
    frames = pilot.window.read.frames
    assert frames.count() == 28 and {frames.line(n).lane for n in range(28)} == {"bilge"}
    assert frames._rows.after(1).startswith("+1.8")
    ask(pilot, line, 'has_text("no such text")')
    assert frames.count() == 0 and "none" in line.said.text()
    ask(pilot, line, "")
    assert frames.count() == len(pilot.session.capture)


def test_ticks_stand_where_the_hits_are(pilot, line):
    ask(pilot, line, "changes(mode)")
    strip, hits = pilot.window.strip, pilot.session.asking.hits
    columns = strip.hits.columns()
    assert len(hits) > 3 and len(columns) <= len(hits)
    for time in hits.time_ns:
        assert any(abs(strip.scale.x_of(int(time)) - x) <= 1 for x in columns)


def test_a_mistake_is_said_and_finds_nothing(pilot, line):
    ask(pilot, line, "`watr heat` > 3")
    assert "Did you mean" in line.said.text() and pilot.session.asking.hits is None
    assert not pilot.window.read.only_hits.isEnabled() and not line.write.isEnabled()


def test_an_edit_of_a_layout_asks_again(pilot, line):
    ask(pilot, line, "`water heat` > 12.1 °C")
    first = pilot.session.asking.hits
    assert first is not None and len(first)
    pilot.session.layouts_changed.emit()
    pilot.session.reading.changed.emit()
    pilot.settle()
    assert pilot.session.asking.hits is not first and pilot.session.asking.hits.rows.tolist() == first.rows.tolist()


@pytest.mark.parametrize("form", ["csv", "jsonl"])
def test_hits_are_written_with_where_they_come_from(pilot, line, tmp_path, form):
    ask(pilot, line, BILGE)
    line.write_to(tmp_path / f"hits.{form}")
    pilot.settle()
    text = (tmp_path / f"hits.{form}").read_text()
    rows = list(csv.DictReader(text.splitlines())) if form == "csv" else [json.loads(one) for one in text.splitlines()]
    assert len(rows) == 28 and rows[0]["says"].startswith("level ")
    assert json.loads((tmp_path / f"hits.{form}.origin.json").read_text())["format"] == "zesty-abacus origin"


def test_hits_are_written_as_a_recording_again(pilot, line, tmp_path):
    ask(pilot, line, "address == 0x1A0 and time < 1")
    count = len(pilot.session.asking.hits)
    line.write_to(tmp_path / "hits.log")
    pilot.settle()
    lines = (tmp_path / "hits.log").read_text().splitlines()
    assert len(lines) == count > 50 and all(" thruster 1A0#" in one for one in lines)
    ask(pilot, line, BILGE)
    line.write_to(tmp_path / "bilge", "SocketCAN text log (*.log)")
    pilot.settle()
    assert "such a file holds CAN frames alone, and what leaves is of bilge" in pilot.window.foot.told.toolTip()
    assert not (tmp_path / "bilge.log").exists()


def test_hits_never_take_the_place_of_a_recording(pilot, line):
    ask(pilot, line, BILGE)
    source = pilot.session.trial.files()[0]
    before = source.read_bytes()
    line.write_to(source, "CSV (*.csv)")
    line.write_to(source.with_suffix(".csv") if source.suffix == ".csv" else source)
    pilot.settle()
    assert source.read_bytes() == before


def test_a_place_that_is_none_is_said(pilot, line):
    ask(pilot, line, "at(B999999) == 1")
    assert "byte number" in line.said.text() and pilot.session.asking.hits is None


def test_words_are_offered_and_taken(pilot, line):
    pilot.window.show_desk("Read")
    line.begin()
    line.line.clear()
    QTest.keyClicks(line.line, "size == 4 and water h")
    pilot.wait(lambda: line._completer.popup().isVisible(), "an offer")
    offered = line._words.stringList()
    line.line.clear()
    QTest.keyClicks(line.line, "size == 4 and water")
    assert "`water heat`" in line._words.stringList() or "`water heat`" in offered
    line._take("`water heat`")
    assert line.line.text() == "size == 4 and `water heat`"


def test_pointing_at_a_frame_asks_for_its_like(pilot, line):
    pilot.window.show_desk("Read")
    frames = pilot.window.read.frames
    row = frames.listed.row(frames.current())
    y = frames.head_height + (frames.current() - frames.first() + 0.5) * frames.row_height
    choose(pilot, frames.viewport(), QPoint(200, int(y)), "of this address")
    hits = pilot.session.asking.hits
    assert row in hits.rows and line.line.text().startswith("lane ==")


def test_pointing_at_a_value_asks_for_it(pilot, line):
    pilot.window.show_desk("Read")
    values = pilot.window.read.side.readout.values
    pilot.wait(lambda: values.rows(), "values")
    number = next(n for n, row in enumerate(values.rows()) if row.title == "mode")
    choose(pilot, values, values.row_center(number), "mode is ")
    kind = values.rows()[number].kind
    assert ".mode == " in line.line.text() and pilot.session.asking.hits.by_kind().keys() >= {kind}


def test_pointing_at_a_moment_asks_what_came_after(pilot, line):
    strip = pilot.window.strip
    moment = pilot.session.trial.file.moments[0]
    choose(pilot, strip, QPointF(strip.scale.x_of(moment.time_ns) + 4, 9).toPoint(), "within 2 s after")
    assert line.line.text() == f'after("{moment.text}", 2 s)'
    times = pilot.session.asking.hits.time_ns
    assert len(times) and times[0] >= moment.time_ns and times[-1] <= moment.time_ns + 2_000_000_000


def test_all_that_is_offered_of_a_frame_holds_for_it(pilot):
    capture, meaning, known = pilot.session.capture, pilot.session.reading.meaning, pilot.session.asking.known()
    for kind in range(0, len(capture.kinds.keys), 3):
        row = int(capture.kinds.rows(kind)[0])
        reader = meaning.reader_of(kind, row)
        for _, condition in of_frame(capture, row, reader.layout.name if reader else ""):
            assert row in find(meaning, bind(condition, known)).rows, condition


def test_a_condition_is_kept_under_a_name_asked_again_and_forgotten(pilot, line, monkeypatch):
    session = pilot.session

    def menu_line(words):
        pilot.click(line.kept)
        menu = next(menu for menu in QApplication.topLevelWidgets() if isinstance(menu, QMenu) and menu.isVisible())
        action = next(action for action in menu.actions() if words in action.text())
        QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
        pilot.settle()

    monkeypatch.setattr(QInputDialog, "getText", lambda *_words: ("bilge reads", True))
    ask(pilot, line, BILGE)
    menu_line("Keep this")
    assert [(one.name, one.text) for one in session.trial.file.conditions] == [("bilge reads", BILGE)]
    ask(pilot, line, "size == 1")
    find_box = pilot.window.header.find_box
    pilot.type(find_box, "ask bilge reads")
    assert find_box.findings() == ["bilge reads"]
    QTest.keyClick(find_box, Qt.Key.Key_Return)
    pilot.settle()
    assert line.line.text() == BILGE
    ask(pilot, line, "size == 1")
    menu_line("bilge reads")
    assert line.line.text() == BILGE and len(session.asking.hits) == 28
    menu_line("Forget bilge reads")
    assert session.trial.file.conditions == ()
    session.undo.undo()
    pilot.settle()
    assert [one.name for one in session.trial.file.conditions] == ["bilge reads"]
    session.trials.keep_condition("bilge reads", "")
    pilot.settle()


def test_a_second_condition_is_set_against_the_first(pilot, line):
    session = pilot.session
    ask(pilot, line, "changes(mode)")
    session.second.ask(BILGE)
    pilot.settle()
    assert line.against.isVisible() and "of its 28 have one of these" in line.against.sentence()
    found = against(session.asking.hits, session.second.hits, 10_000_000)
    assert f"{found.first_near} of {found.first} hits" in line.against.sentence()
    pilot.type(line.against.within, "2 min")
    assert line.against.within_ns() == 120_000_000_000 and "28 of its 28" in line.against.sentence()
    pilot.type(line.against.within, "soon")
    assert line.against.sentence() == "Write a time, as 10 ms."
    strip = pilot.window.strip
    assert strip.hits.columns(session.second) != strip.hits.columns() and strip.hits.columns(session.second)
    pilot.click(line.against.off)
    assert not line.against.isVisible() and session.second.hits is None


def test_a_condition_is_shared_with_the_team_and_asked_by_its_name(pilot, line, monkeypatch):
    session = pilot.session
    ask(pilot, line, BILGE)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("bilge polls", True))
    press(pilot, line, "Share it with the team")
    pilot.wait(lambda: session.shared.conditions, "the shared condition")
    assert [(one.name, one.text) for one in session.shared.conditions] == [("bilge polls", BILGE)]
    ask(pilot, line, "size == 8")
    press(pilot, line, "bilge polls")
    pilot.settle()
    assert session.asking.text == BILGE and len(session.asking.hits) == 28
    assert named(session, session.asking) == "bilge polls"


def press(pilot, line, words):
    """Choose a line of the menu of kept conditions."""
    pilot.click(line.kept)
    menu = next(menu for menu in QApplication.topLevelWidgets() if isinstance(menu, QMenu) and menu.isVisible())
    action = next(action for action in menu.actions() if words in action.text())
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    pilot.settle()


def test_bits_and_named_blocks_are_pointed_at(pilot, line):
    session = pilot.session
    pilot.pick_kind(0x2C1)
    pilot.window.show_desk("Unravel")
    pilot.settle()
    abacus = pilot.window.unravel.abacus
    at = session.store.frame_at(session.in_hand.kind, None, session.clock.cursor_ns)
    choose(pilot, abacus, abacus.rods.bead_center(6 * 8 + 3).toPoint(), "B6 is 0x")
    assert session.asking.text == f'lane == "thruster" and address == 0x2C1 and at(B6) == 0x{at.payload[6]:X}'
    assert pilot.window.desk_name == "Read" and at.row in session.asking.hits.rows
    stack = pilot.window.read.traces
    kind = pilot.kind(0x1A0)
    mode = next(field for field in session.reading.layout_of(kind).fields if field.name == "mode")
    session.traces.toggle(kind, mode.id)
    pilot.settle()
    choose(
        pilot, stack, stack.plan.plot_rect(session.traces.shown.index((kind, mode.id))).center().toPoint(), "mode is "
    )
    assert session.asking.text.startswith("`Azimuth command port`.mode == ") and len(session.asking.hits)
    session.traces.toggle(kind, mode.id)


def test_every_offer_about_bits_and_marks_is_a_condition_that_holds_there(pilot):
    session = pilot.session
    capture, meaning = session.capture, session.reading.meaning
    known = session.asking.known()
    for kind in range(0, len(capture.kinds.keys), 5):
        row = int(capture.kinds.rows(kind)[-1])
        size = len(capture.frames.at(row).payload)
        if size < 2:
            continue
        is_it, is_not, changes = of_bits(capture, row, [15, 14, 13, 12])
        assert row in find(meaning, bind(is_it[1], known)).rows, is_it
        assert row not in find(meaning, bind(is_not[1], known)).rows
        bind(changes[1], known)
    for words, condition in of_mark(0x41, True, F.REFUSED | F.READ):
        bind(condition, known)
        assert words.startswith("frames ")
    assert [words for words, _ in of_mark(0x41, True, F.REFUSED)] == [
        "frames with the byte 41", "frames with the letter A", "frames flagged not acknowledged",
    ]  # fmt: skip
    assert not list(of_bits(capture, 0, [800])) and not list(of_mark(0x1FF, True, 0))
