import subprocess
import sys
import time
from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QWidget

from tests.desk.pilot import place_of
from tests.trial.test_trial import write_log
from zesty_abacus.core.library.store import Library
from zesty_abacus.desk.app.settings import (
    Settings,
    load_settings,
    save_settings,
    settings_path,
    trials_folder,
    with_recent,
)
from zesty_abacus.desk.around.roster import _rate_text
from zesty_abacus.desk.widgets.abacus import swept_bits
from zesty_abacus.desk.widgets.theme import NIGHT, look

SHIFT = Qt.KeyboardModifier.ShiftModifier
CONTROL = Qt.KeyboardModifier.ControlModifier


def test_desks_by_key_keep_the_place(pilot):
    pilot.pick_kind(0x1A1)
    state = (pilot.session.in_hand.kind, pilot.session.clock.cursor_ns, pilot.session.clock.view_first_ns)
    for key, name in enumerate(("Intake", "Read", "Unravel", "Layouts", "Rehearse", "Hand over"), 1):
        pilot.window.roster.view.setFocus()
        pilot.key(str(key))
        assert pilot.window.desk_name == name
        assert pilot.window.desks[name].isVisible()
    assert state == (pilot.session.in_hand.kind, pilot.session.clock.cursor_ns, pilot.session.clock.view_first_ns)


def test_the_rod_is_clicked_and_walked(pilot):
    rod = pilot.window.header.rod
    pilot.click(rod, rod.bead_center("Layouts"))
    assert pilot.window.desk_name == "Layouts"
    rod.setFocus()
    pilot.key(Qt.Key.Key_Left)
    assert pilot.window.desk_name == "Unravel"


def test_single_letters_are_typed_where_text_is_typed(pilot):
    pilot.type(pilot.window.roster.filter, "pack 3")
    assert pilot.window.desk_name == "Read" and pilot.window.roster.filter.text() == "pack 3"
    pilot.type(pilot.window.roster.filter, "pack tot")
    kinds = [entry for entry in pilot.window.roster.model.entries if isinstance(entry, int)]
    assert [pilot.session.kinds.name(kind) for kind in kinds] == ["Pack totals"]


def test_the_roster_orders_and_filters(pilot):
    roster = pilot.window.roster
    roster.order.setCurrentText("least explained first")
    pilot.settle()
    by_lane = {}
    for kind in roster.model.kinds():
        share = pilot.session.reading.counts.explained[kind].share
        device = pilot.session.kinds.device(kind)
        # the exchanges of a device stand together, where the first of them would
        by_lane.setdefault((pilot.session.kinds.key(kind).lane, device), []).append(2.0 if share is None else share)
    shares = list(by_lane.values())
    assert len({lane for lane, _ in by_lane}) == len(pilot.session.capture.lanes)
    assert all(group == sorted(group) for group in shares)
    pilot.type(roster.filter, "water nothing")
    assert roster.model.entries == []


def test_a_rate_is_that_of_the_messages_own_time(pilot):
    session = pilot.session
    capture, kinds = session.capture, session.kinds
    for kind in range(len(capture.kinds.keys)):
        times = capture.kind_frames(kind).time_ns
        span = int(times.max() - times.min())
        assert kinds.rate(kind) == pytest.approx((len(times) - 1) / span * 1e9 if span else 0.0)
    assert _rate_text(0.0) == "once" and _rate_text(50.2) == "50 Hz" and _rate_text(0.5) == "30.0/min"


def test_of_two_frames_of_one_moment_the_one_clicked_stays_in_hand(pilot):
    pilot.key("2")
    frames, session = pilot.window.read.frames, pilot.session
    lane = next(n for n, lane in enumerate(session.capture.lanes) if lane.name == "winch")
    frames.listed.show_lanes(frozenset({lane}))
    place = next(n for n in range(10, 60) if frames.line(n).time == frames.line(n + 1).time)
    session.clock.set_cursor(session.capture.frames.at(frames.listed.row(place)).time_ns)
    pilot.settle()
    for chosen in (place + 1, place):
        y = next(top for row, top in frames.rows_in_view() if row == chosen) + 5
        pilot.click(frames.viewport(), QPointF(200, y))
        assert frames.current() == chosen and session.in_hand.kind == session.store.kind_of_row(
            frames.listed.row(chosen)
        )
    frames.go(1)
    assert frames.current() == place + 1
    frames.go(1)
    assert frames.current() == place + 2


def test_find_goes_to_messages_fields_moments_and_does_commands(pilot):
    find = pilot.window.header.find_box
    pilot.key(Qt.Key.Key_K, CONTROL)
    assert find.hasFocus() and find.findings()
    pilot.type(find, "pack totals curr")
    assert find.findings()[0] == "Pack totals.current"
    pilot.key(Qt.Key.Key_Return)
    assert pilot.session.in_hand.kind == pilot.kind(0x18FF0210) and pilot.window.desk_name == "Read"
    pilot.type(find, "full astern", enter=True)
    assert pilot.session.clock.seconds(pilot.session.clock.cursor_ns) == pytest.approx(86, abs=0.01)
    pilot.type(find, "night", enter=True)
    assert look.theme is NIGHT and load_settings().theme == NIGHT.name
    pilot.type(find, "no such thing at all")
    assert find.findings() == []
    pilot.key(Qt.Key.Key_Escape)
    assert find.text() == ""


def test_time_is_zoomed_panned_and_stepped(pilot):
    clock, strip = pilot.session.clock, pilot.window.strip
    pilot.key("X")
    assert (clock.view_first_ns, clock.view_last_ns) == (clock.first_ns, clock.last_ns)
    pilot.key("Z")
    assert clock.view_span_ns == pytest.approx((clock.last_ns - clock.first_ns) / 2, rel=0.01)
    before = clock.cursor_ns
    pilot.key(".")
    assert clock.cursor_ns > before
    pilot.key(",")
    pilot.key("P")
    assert clock.pin_ns == clock.cursor_ns
    middle = QPointF(strip.scale.bracket().center())
    first = clock.view_first_ns
    pilot.drag(strip, middle, middle + QPointF(40, 0))
    assert clock.view_first_ns > first
    span = clock.view_span_ns
    edge = QPointF(strip.scale.bracket().right(), middle.y())
    pilot.drag(strip, edge, edge - QPointF(60, 0))
    assert clock.view_span_ns < span
    strip.setFocus()
    pilot.key(Qt.Key.Key_Left, SHIFT)
    assert clock.view_first_ns >= clock.first_ns


def test_a_moment_is_typed_at_the_cursor_and_kept(pilot):
    pilot.key("M")
    entry = QApplication.focusWidget() or pilot.window.strip.moments.entry
    QTest.keyClicks(entry, "line <b>taut</b>")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    pilot.settle()
    moments = pilot.session.trial.file.moments
    assert "line <b>taut</b>" in [moment.text for moment in moments]
    from zesty_abacus.core.trial.trial import Trial

    assert Trial.open(pilot.session.trial.folder).file.moments == moments


def test_frames_are_listed_in_words_and_lead_the_cursor(pilot):
    frames = pilot.window.read.frames
    assert frames.count() == len(pilot.session.capture)
    place = frames.current()
    line = frames.line(place)
    assert line.time == "39.999 798".replace(" ", "\u2009") or line.time
    frames.setFocus()
    pilot.key(Qt.Key.Key_Down)
    assert frames.current() == place + 1
    pilot.key(Qt.Key.Key_Home)
    assert frames.current() == 0
    pilot.pick_kind(0x1A1)
    pilot.click(pilot.window.read.this_kind)
    assert frames.count() == 12_000
    assert "angle" in frames.line(100).says and frames.line(100).message == "Azimuth feedback port"
    pilot.key("B")
    assert pilot.session.form.asked == "bin"


def test_every_line_says_something_true_about_its_frame(pilot):
    frames = pilot.window.read.frames
    errors = pilot.kind(0x88)
    row = int(pilot.session.capture.kinds.rows(errors)[0])
    assert frames.line(place_of(frames, row)).says == "the bus reports an error"
    unnamed = int(pilot.session.capture.kinds.rows(pilot.kind(0x2C1))[0])
    assert frames.line(place_of(frames, unnamed)).says == "nobody has named it"


@pytest.mark.parametrize(
    ("first", "last", "boxed", "bits"),
    [(23, 24, False, set(range(16, 32))), (7, 7, False, {7}), (3, 12, False, {3, 2, 1, 0, 15, 14, 13, 12}),
     (3, 8, True, {0, 1, 2, 3, 8, 9, 10, 11})],
)  # fmt: skip
def test_swept_bits(first, last, boxed, bits):
    assert swept_bits(first, last, boxed=boxed) == bits == swept_bits(last, first, boxed=boxed)


def test_beads_are_selected_by_mouse_and_keys(pilot):
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    session, abacus = pilot.session, pilot.window.unravel.abacus
    pilot.drag_beads(19, 24, modifiers=SHIFT)
    assert session.in_hand.bits == {16, 17, 18, 19, 24, 25, 26, 27}
    pilot.click(abacus, abacus.rods.bead_center(16), CONTROL)
    assert 16 not in session.in_hand.bits
    pilot.click(abacus, QPointF(10, abacus.rods.bead_center(8).y()))
    assert session.in_hand.bits == frozenset(range(8, 16))
    abacus.setFocus()
    pilot.key(Qt.Key.Key_Escape)
    assert session.in_hand.bits == frozenset()
    pilot.click(abacus, abacus.rods.bead_center(8))
    pilot.key(Qt.Key.Key_Right, SHIFT)
    assert session.in_hand.bits == {8, 23}, "the next bead in reading order is on the next rod"
    pilot.key("U")
    assert len(session.in_hand.bits) == session.reading.counts.explained[session.in_hand.kind].moving
    pilot.pick_kind(0x1A1)
    assert session.in_hand.bits == frozenset()
    QTest.mouseDClick(
        abacus, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, abacus.rods.bead_center(3).toPoint()
    )
    assert session.in_hand.bits == frozenset(range(16))


def test_readings_are_chosen_by_keys_and_follow_the_cursor(pilot):
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.drag_beads(23, 24)
    reckoner = pilot.window.unravel.reckoner
    first = reckoner.current
    pilot.key("]")
    assert reckoner.current is not first
    pilot.key("[")
    assert reckoner.current is first
    shown = pilot.window.unravel.side.selection.value.text()
    pilot.session.clock.set_cursor(pilot.session.clock.last_ns - 10**9)
    assert pilot.window.unravel.side.selection.value.text() != shown
    pilot.click(reckoner, reckoner.card_rect(2).center())
    assert reckoner.current_number == 2


def test_files_are_dropped_on_an_empty_window(empty, tmp_path):
    good = write_log(tmp_path / "one.log", [("1.0", "can0", "100", "01"), ("3.0", "can0", "100", "03")])
    bad = tmp_path / "bad.dat"
    bad.write_bytes(b"\x00nothing")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(good)), QUrl.fromLocalFile(str(bad))])
    event = QDropEvent(QPointF(10, 10), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                       Qt.KeyboardModifier.NoModifier)  # fmt: skip
    empty.window.dropEvent(event)
    empty.wait_open()
    assert len(empty.session.capture) == 2
    assert "none of the known formats" in empty.session.outcomes[1].error
    empty.key("1")
    empty.click(empty.window.intake.left.findChildren(type(empty.window.intake.left.inner.children()[1]))[1])
    assert empty.window.foot.told.text() == "1 problem while reading; see Intake."
    more = write_log(tmp_path / "two.log", [("2.0", "can1", "200", "02")])
    empty.session.trials.open_paths([more])
    empty.wait(lambda: len(empty.session.capture) == 3, "the third frame")
    assert load_settings().recent == [str(empty.session.trial.folder)]


def test_lanes_are_named_and_moved_on_intake(pilot):
    pilot.key("1")
    desk = pilot.window.intake

    def line(name):
        return next(w for w in desk.findChildren(QWidget) if w.accessibleName() == name and w.isVisible())

    pilot.type(line("offset of thruster"), "soon", enter=True)
    assert "is not a number" in desk.facts.problem.text()
    origin = pilot.session.capture.origin_ns
    pilot.type(line("offset of thruster"), "-1500", enter=True)
    pilot.wait_open()
    assert pilot.session.capture.origin_ns == origin - 1_500_000_000
    pilot.type(line("offset of thruster"), "-1234567.891234", enter=True)
    pilot.wait_open()
    assert line("offset of thruster").text() == "-1234567.891234", "Enter once more takes nothing away"
    pilot.type(line("lane of thruster"), "pods", enter=True)
    pilot.wait_open()
    assert [lane.name for lane in pilot.session.capture.lanes][:2] == ["pods", "battery"]
    told = pilot.window.foot.told.text()
    assert told == "12 layouts are for the lane thruster and not for pods. Ctrl Z takes the name back."
    since = []
    pilot.session.told.connect(lambda _tone, sentence: since.append(sentence))
    pilot.session.undo.undo()
    pilot.wait_open()
    assert "thruster" in [lane.name for lane in pilot.session.capture.lanes]
    assert not [one for one in since if "the lane" in one], "all layouts read again what they read before"


def test_a_trial_that_cannot_be_opened_is_said_and_the_open_one_stays(pilot, tmp_path):
    capture = pilot.session.capture
    pilot.session.trials.open(tmp_path)
    pilot.settle()
    assert "no trial can be opened" in pilot.window.foot.told.text()
    assert pilot.session.capture is capture


def test_an_edit_that_clashes_opens_the_choice_and_theirs_can_be_taken(pilot):
    session = pilot.session
    session.shared.news.is_paused = True
    pilot.settle()
    kind = pilot.kind(0x1A1)
    session.in_hand.take_kind(kind)
    layout = session.reading.layout_of(kind)
    other = Library.open(session.library.address)
    head = other.layouts.head_of(layout.id)
    theirs = msgspec.structs.replace(layout, note="theirs")
    other.layouts.commit(theirs, parent=head.revision.id, author="another bench")
    other.close()
    session.edits.change(msgspec.structs.replace(layout, note="mine"))
    pilot.settle()
    assert "another bench changed the same" in pilot.window.foot.told.text()
    view = pilot.window.layouts.comparison
    assert pilot.window.desk_name == "Layouts" and view.isVisible()
    (back,) = [one for one in view.findChildren(QPushButton) if one.text() == "Take theirs"]
    pilot.click(back)
    pilot.click(view.close_button)
    assert session.reading.layout_of(kind).note == "theirs" and pilot.window.layouts.plan.isVisible()


def test_a_job_is_cancelled_from_the_foot(pilot):
    progress_seen = []

    def work(progress):
        while True:
            progress.step(0.4, "waiting for nothing")
            progress_seen.append(1)
            time.sleep(0.005)

    done = []
    pilot.session.jobs.start("idle", "waiting", work, done.append)
    pilot.wait(pilot.window.foot.stop.isVisible, "the cancel button")
    pilot.wait(lambda: pilot.window.foot.work.text() == "waiting for nothing", "the note of the job")
    QTest.mouseClick(pilot.window.foot.stop, Qt.MouseButton.LeftButton)
    pilot.settle()
    assert progress_seen and done == []


def test_a_fault_of_the_program_is_told_not_hidden(pilot, capsys):
    pilot.session.jobs.start("fault", "dividing", lambda _progress: 1 / 0, lambda _answer: None)
    pilot.settle()
    assert "ZeroDivisionError" in pilot.window.foot.told.text()
    assert "ZeroDivisionError" in capsys.readouterr().err


def test_settings_survive_damage():
    save_settings(with_recent(Settings(theme="Night peel"), settings_path().parent))
    assert load_settings().theme == "Night peel" and len(load_settings().recent) == 1
    settings_path().write_bytes(b"{broken")
    assert load_settings() == Settings()


@pytest.mark.parametrize("size", [(1024, 640), (1280, 800), (2560, 1440)])
def test_every_desk_paints_at_every_size(pilot, size):
    pilot.window.resize(*size)
    pilot.pick_kind(0x1A1)
    for name, desk in pilot.window.desks.items():
        pilot.window.show_desk(name)
        pilot.settle()
        image = pilot.window.grab().toImage()
        assert image.width() == size[0] and desk.width() > 400
    pilot.window.help.begin()
    assert pilot.window.help.isVisible()
    QTest.keyClick(pilot.window.help, Qt.Key.Key_Escape)
    assert not pilot.window.help.isVisible()


def test_custom_widgets_have_names_for_screen_readers(pilot):
    window = pilot.window
    widgets = [window.strip, window.header.rod, window.header.find_box, window.roster.view, window.read.traces,
               window.read.frames,
               window.read.side.readout.values, window.unravel.abacus, window.unravel.history, window.unravel.reckoner,
               window.layouts.tried, window.handover.tables.preview]  # fmt: skip
    assert all(widget.accessibleName() for widget in widgets)
    assert "shown" in window.strip.accessibleDescription()


def test_a_recording_in_a_folder_that_cannot_be_written_still_opens(empty, tmp_path, monkeypatch):
    recording = write_log(tmp_path / "archive.log", [("1.0", "can0", "100", "01")])
    monkeypatch.setattr("os.access", lambda path, _mode: path != tmp_path)
    empty.session.trials.open_paths([recording])
    empty.wait_open()
    assert len(empty.session.capture) == 1
    assert empty.session.trial.folder == trials_folder() / "archive trial"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["archive.log"]


def test_an_empty_window_says_the_next_step(empty):
    for name in empty.window.desks:
        empty.window.show_desk(name)
        empty.settle()
        assert empty.window.grab().width() > 0
    empty.window.show_desk("Intake")
    words = [child.text() for child in empty.window.intake.findChildren(QLabel)]
    assert any("open the Yuzu trial" in text for text in words)
    empty.key("M")
    empty.key(".")
    empty.key("X")
    assert empty.session.capture is None, "keys that need a capture do nothing"


def test_the_demo_opens_from_the_empty_window(empty):
    empty.window.show_desk("Intake")
    empty.settle()
    button = next(b for b in empty.window.intake.findChildren(QPushButton) if b.text() == "Open the Yuzu trial")
    empty.click(button)
    empty.wait_open()
    assert empty.session.trial.file.name == "Yuzu sea trial"
    assert empty.window.windowTitle() == "Yuzu sea trial – Zesty Abacus"


def test_taking_a_source_out_and_in_again(pilot):
    session = pilot.session
    folder, frames = session.trial.folder, len(session.capture)
    session.trials.remove_source(1)
    pilot.wait_open()
    lanes = {lane.name for lane in session.capture.lanes}
    assert "battery" not in lanes and len(session.capture) < frames
    session.trials.open_paths([folder / "battery.pcapng.zst"])
    pilot.wait_open()
    assert len(session.capture) == frames and {lane.name for lane in session.capture.lanes} == lanes | {"battery"}
    session.trials.open_paths([folder / "battery.pcapng.zst"])
    pilot.settle()
    assert "in this trial already" in pilot.window.foot.told.text() and len(session.capture) == frames


def test_the_window_is_useful_small_and_large(pilot):
    for width, height in ((1100, 700), (3840, 2160)):
        pilot.window.resize(width, height)
        pilot.settle()
        parts = (pilot.window.room.left, pilot.window.room.centre, pilot.window.room.side)
        assert all(part.isVisible() and part.width() > 150 for part in parts)
        assert sum(part.width() for part in parts) <= width
        assert pilot.window.room.centre.width() > width * 0.4


def test_bringing_in_again_keeps_traces_edits_and_the_way_back(pilot):
    session = pilot.session
    layout = session.reading.layout_of(pilot.kind(0x1A1))
    session.edits.change(layout.without_field(layout.field_named("limited").id))
    shown = {
        session.traces.field(trace).name for trace in session.traces.shown if session.kinds.key(trace[0]).lane >= 1
    }
    library = session.library
    session.trials.remove_source(0)
    pilot.wait_open()
    assert session.library is library and session.capture.lanes[0].name == "battery"
    assert {session.traces.field(trace).name for trace in session.traces.shown} == shown, (
        "numbers changed, fields did not"
    )
    assert session.edits.layout(layout.id).field_named("limited") is None
    pilot.key(Qt.Key.Key_Z, CONTROL)
    pilot.wait_open()
    assert session.capture.lanes[0].name != "battery", "the recording is back first"
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert session.edits.layout(layout.id) == layout


_SITTING = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from tests.desk.pilot import Pilot
from zesty_abacus.desk import launch
from zesty_abacus.desk.window import Window
def sit():
    hands = Pilot(next(one for one in QApplication.topLevelWidgets() if isinstance(one, Window)))
    hands.wait_open()
    for name in sys.argv[1].split(","):
        hands.window.show_desk(name)
        hands.settle()
        for key in sys.argv[2:]:
            QTest.keySequence(hands.window.focusWidget() or hands.window, QKeySequence(key))
            hands.settle()
    print("sat", hands.window.desk_name, flush=True)
    QTimer.singleShot(300, hands.window.close)
launch.make_application()
QTimer.singleShot(0, sit)
sys.exit(launch.launch([], demo=True))
"""


@pytest.mark.parametrize(("desks", "keys"), [
    ("Read", ["Ctrl+K", "F", "I"]),
    ("Read,Intake,Unravel,Layouts,Rehearse,Hand over,Library", ["Ctrl+K", "F", "Esc", "F1", "Esc", "L", "Esc"]),
], ids=["found", "all desks"])  # fmt: skip
def test_the_program_ends_well_after_a_sitting(desks, keys):
    """Parts that Qt and Python both hold must be let go of while both are there."""
    command = [sys.executable, "-c", _SITTING, desks, *keys]
    done = subprocess.run(command, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=110)
    assert (done.returncode, done.stdout.strip()) == (0, f"sat {desks.split(',')[-1]}"), done.stderr[-2000:]
