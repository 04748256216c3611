"""How one begins: three ways while nothing is open, and where one stands once something came in."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog, QLabel, QPushButton

import zesty_abacus.demo
from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from tests.trial.pieces import write_pieces
from tests.trial.test_trial import write_log
from zesty_abacus.desk.launch import make_application, make_window
from zesty_abacus.desk.widgets.told import told_lines

YUZU = Path(zesty_abacus.demo.__file__).parent / "yuzu"


@pytest.fixture
def waves(tmp_path):
    """A recording of lines that nobody has a recipe for yet."""
    return Path(shutil.copy(YUZU / "winch-load.vcd.gz", tmp_path / "winch.vcd.gz"))


@pytest.fixture
def log(tmp_path):
    return write_log(tmp_path / "bus.log", [(f"{n}.0", "can0", "100", f"{n:02X}") for n in range(50)])


def dropped_on(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    nothing, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
    window.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, left, nothing))


def shown_ways(window):
    return [one.text() for one in window.beginning.findChildren(QPushButton) if one.isVisible()]


def test_every_desk_shows_three_ways_to_begin(empty):
    for name in ("Intake", "Read", "Unravel", "Layouts", "Rehearse", "Hand over"):
        empty.window.show_desk(name)
        empty.settle()
        assert shown_ways(empty.window)[:3] == ["Choose recordings…", "Begin an empty trial…", "Open the Yuzu trial"]
        assert not empty.window.strip.isVisible() and empty.window.header.rod.isVisible()


def test_keys_go_from_way_to_way_and_return_takes_one(empty, log, monkeypatch):
    window = empty.window
    assert window.focusWidget() is window.beginning.choose
    empty.key(Qt.Key.Key_Tab)
    assert window.focusWidget() is window.beginning.new
    empty.key(Qt.Key.Key_Tab)
    assert window.focusWidget() is window.beginning.demo
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(log)], ""))
    window.beginning.choose.setFocus()
    empty.key(Qt.Key.Key_Space)
    empty.wait_open()
    assert window.stage.currentIndex() == 1 and window.strip.isVisible()


def test_a_log_that_is_dropped_stands_on_read(empty, log):
    dropped_on(empty.window, log)
    empty.wait_open()
    assert empty.window.desk_name == "Read" and len(empty.session.capture) == 50
    assert empty.window.focusWidget() is empty.window.roster.view


def test_waves_that_are_dropped_stand_on_intake_with_what_they_look_like(empty, waves):
    dropped_on(empty.window, waves)
    empty.wait(lambda: empty.window.intake.bench.opened is not None, "the recording on Intake")
    empty.settle()
    assert empty.window.desk_name == "Intake" and empty.window.intake.bench.number == 0
    assert empty.window.intake.bench.outcome is not None, "a recipe was proposed and tried"


def test_of_several_the_one_that_is_to_be_decided_is_shown(empty, log, waves):
    dropped_on(empty.window, log, waves)
    empty.wait(lambda: empty.window.intake.bench.opened is not None, "the recording on Intake")
    empty.settle()
    assert empty.window.desk_name == "Intake"
    assert empty.session.outcomes[empty.window.intake.bench.number].path.name == "winch.vcd.gz"


@pytest.fixture
def pieces(tmp_path):
    """Bytes of a serial line, each a row with its time: requests and answers of a Modbus device."""
    return write_pieces(tmp_path / "pump.csv")


def test_bytes_that_look_like_telegrams_stand_on_intake_and_say_so(empty, log, pieces):
    dropped_on(empty.window, log, pieces)
    empty.wait(lambda: empty.window.intake.bench.opened is not None, "the recording on Intake")
    empty.settle()
    window = empty.window
    assert window.desk_name == "Intake" and empty.session.outcomes[window.intake.bench.number].path == pieces
    said = [one.text() for one in window.intake.left.findChildren(QLabel)]
    assert "looks like Modbus RTU" in said and "read whole" in said
    window.intake.bench.use()
    empty.wait(lambda: not empty.session.outcomes[1].looks_like and empty.session.outcomes[1].recipe, "the recipe")
    assert empty.session.capture.lanes[1].protocol == "modbus"


def test_where_nothing_is_laid_out_read_says_what_to_do(empty, log):
    dropped_on(empty.window, log)
    empty.wait_open()
    window = empty.window
    (hint,) = (one.words for one in told_lines(window.read.side.readout.values))
    assert hint.startswith("No layout reads a frame of this recording yet. Unravel (3) finds fields,")
    assert window.read.side.readout.values.height() >= 80, "there is room for all of it"
    (hint,) = (one.words for one in told_lines(window.read.traces))
    assert hint == "No message is laid out yet: find its fields on Unravel (3), or lay it out on Layouts (4)."
    empty.type(window.read.side.readout.filter, "speed")
    assert [one.words for one in told_lines(window.read.side.readout.values)] == ["No value is called so."]


def test_layouts_are_brought_in_before_a_message_is_chosen(empty, log, monkeypatch):
    dropped_on(empty.window, log)
    empty.wait_open()
    empty.key("4")
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *words: asked.append(words[1]) or ("", ""))
    empty.click(empty.window.layouts.start.bring)
    assert asked == ["Bring layouts in"]


def test_waves_that_join_an_open_trial_are_shown_and_another_log_is_not(pilot, log, waves):
    pilot.window.show_desk("Unravel")
    pilot.session.trials.add_sources([log])
    pilot.settle()
    assert pilot.window.desk_name == "Unravel", "nothing is to be decided"
    known = len(pilot.session.outcomes)
    pilot.session.trials.add_sources([waves])
    pilot.wait(lambda: pilot.window.desk_name == "Intake", "Intake")
    pilot.settle()
    assert pilot.window.intake.bench.number == known


def test_trials_of_late_are_offered(empty, log):
    dropped_on(empty.window, log)
    empty.wait_open()
    folder = empty.session.trial.folder
    make_application()
    window = make_window(empty=True)
    window.show()
    hands = Pilot(window)
    hands.settle()
    (line,) = [one for one in window.beginning.findChildren(QPushButton) if one.text().startswith(folder.name)]
    hands.click(line, QPointF(line.rect().center()))
    hands.wait_open()
    assert hands.session.trial.folder == folder
    window.close()
    let_go(window)
