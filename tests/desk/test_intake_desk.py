"""Intake driven by mouse and keys: sources, waves, thresholds, recipes, and the list tied to the wave."""

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLabel, QLineEdit, QPushButton

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.links.telegrams import GapFraming
from zesty_abacus.desk.desks.intake.marks import mark_text
from zesty_abacus.desk.desks.intake.outcome_part import changed_counts
from zesty_abacus.desk.launch import make_application


@pytest.fixture
def intake(pilot):
    pilot.key("1")
    return pilot


def test_the_way_payloads_are_shown_stands_out(intake):
    page = intake.window.intake.waves_page
    intake.window.intake.left.choose(4)
    intake.wait(page.isVisible, "the waves")
    shown = [name for name, word in page.forms.items() if word.font().bold()]
    assert shown == ["hex"], "from the beginning, not only after a key"
    intake.key(Qt.Key.Key_B)
    assert [name for name, word in page.forms.items() if word.font().bold()] == ["bin"]


def take(pilot, part):
    """Choose a source by a part of its file's name, as a click on its card does."""
    names = [outcome.path.name for outcome in pilot.session.outcomes]
    number = next(n for n, name in enumerate(names) if part in name)
    pilot.window.intake.left.choose(number)
    pilot.settle()
    bench = pilot.window.intake.bench
    assert bench.number == number
    return bench


def part_named(pilot, kind, name):
    return next(w for w in pilot.window.intake.recipe.findChildren(kind) if w.accessibleName() == name)


def words(pilot):
    return " ".join(child.text() for child in pilot.window.intake.side.findChildren(QLabel) if child.isVisible())


def test_every_source_says_what_it_is_and_what_it_needs(intake):
    left = intake.window.intake.left
    cards = {card.accessibleName() for card in left.findChildren(type(left.inner.layout().itemAt(0).widget()))}
    text = " ".join(cards)
    assert "bridge-remote.pulses, pulse lengths" in text and text.count("needs a recipe") == 2
    assert "recipe “bilge level”" in text and "reference measurements" in text


def test_waves_marks_and_list_show_one_frame(intake):
    bench = take(intake, "bilge")
    desk = intake.window.intake
    bench.frames.go(10)
    bench.frames.show_frame(10)
    intake.settle()
    first, last = intake.session.clock.view_first_ns, intake.session.clock.view_last_ns
    times = bench.frames.times()
    assert first < times[10] < last and bench.frames.current() == 10
    marks = desk.waves.place.visible_marks()
    own = marks[marks[:, 5] == 10]
    assert len(own) >= 3 and (own[:, 0] >= first).all() and (own[:, 1] <= last).all()
    assert desk.came_out.words(10).address in desk.came_out.accessibleDescription()


def test_a_click_on_a_mark_and_one_in_the_list_lead_to_the_same_frame(intake):
    bench = take(intake, "bilge")
    desk = intake.window.intake
    bench.frames.go(4)
    bench.frames.show_frame(4)
    intake.settle()
    intake.session.clock.set_cursor(intake.session.clock.view_last_ns)
    mark = next(row for row in desk.waves.place.visible_marks() if row[5] == 4 and row[2] == 4)
    middle = (int(mark[0]) + int(mark[1])) // 2
    box = desk.waves.place.marks_box(0)
    intake.click(desk.waves, QPointF(desk.waves.place.x_of(middle), box.center().y()))
    assert bench.frames.current() == 4 and intake.session.clock.cursor_ns == bench.frames.times()[4]
    row = 7 - desk.came_out.first()
    intake.click(desk.came_out.viewport(), QPointF(200, 22 + row * 22 + 11))
    assert bench.frames.current() == 7
    assert intake.session.clock.view_first_ns <= bench.frames.times()[7] <= intake.session.clock.view_last_ns


def test_wave_and_list_stay_together_when_panels_change(intake):
    bench = take(intake, "bilge")
    desk = intake.window.intake
    bench.frames.go(20)
    bench.frames.show_frame(20)
    x = desk.waves.place.x_of(int(bench.frames.times()[20]))
    for sizes in ([200, 400], [500, 100]):
        desk.waves_page.setSizes(sizes)
        intake.window.resize(1500 if sizes[0] == 200 else 1100, 760)
        intake.settle()
        assert bench.frames.current() == 20
        rows = range(desk.came_out.first(), desk.came_out.first() + desk.came_out.slots() + 1)
        assert 20 in rows, "the frame at the cursor is in the list"
        share = (
            desk.waves.place.x_of(int(bench.frames.times()[20])) - desk.waves.place.plot().left()
        ) / desk.waves.place.plot().width()
        assert 0 < share < 1
    assert x > 0


def test_a_threshold_is_dragged_and_its_effect_is_told(intake):
    bench = take(intake, "bilge")
    waves = intake.window.intake.waves
    before = bench.outcome.counts()
    y = waves.place.y_of("ch1", 1.62)
    box = waves.place.boxes()["ch1"]
    start = QPointF(box.center().x(), y)
    intake.drag(waves, start, QPointF(start.x(), box.top() - 4))
    assert bench.recipe.level("ch1").above > 3.2 and bench.is_whole
    assert bench.outcome.counts() != before and changed_counts(bench)["frames"] < 0
    assert "−" in words(intake)
    intake.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.recipe.level("ch1").above == 1.62 and bench.outcome.counts() == before
    intake.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert bench.recipe.level("ch1").above > 3.2


def test_the_wheel_zooms_from_the_whole_to_one_bit(intake):
    take(intake, "winch")
    waves, clock = intake.window.intake.waves, intake.session.clock
    bench = intake.window.intake.bench
    bench.frames.go(30)
    whole = clock.view_span_ns
    for _ in range(120):
        seen = clock.view_first_ns < clock.cursor_ns
        at = QPointF(waves.place.x_of(clock.cursor_ns) if seen else waves.place.plot().left() + 5, 100)
        place, still, turn = QPointF(waves.mapToGlobal(at.toPoint())), QPoint(0, 0), QPoint(0, 120)
        none = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase
        event = QWheelEvent(at, place, still, turn, *none, False)
        make_application().sendEvent(waves, event)
    assert whole > 10**10 and clock.view_span_ns <= 500, "a bit of two megahertz is 500 ns"
    intake.settle()


def test_keys_go_to_faults_addresses_and_frames(intake):
    bench = take(intake, "bilge")
    intake.session.clock.set_cursor(intake.session.clock.first_ns)
    flags = bench.outcome.result.frames.flags
    wrong = np.flatnonzero(flags & F.WRONG > 0)
    intake.window.intake.waves.setFocus()
    intake.session.clock.set_cursor(bench.span_ns[0])
    for row in wrong:
        intake.key("E")
        assert bench.frames.current() == row
    intake.key("E")
    assert bench.frames.current() == wrong[-1] and "no further fault" in intake.window.foot.told.text()
    intake.key("E", Qt.KeyboardModifier.ShiftModifier)
    assert bench.frames.current() == wrong[-2]
    device = bench.frames.device(bench.frames.current())
    intake.key("A", Qt.KeyboardModifier.ShiftModifier)
    assert bench.frames.device(bench.frames.current()) == device
    at = bench.frames.current()
    intake.key(".")
    intake.key(".")
    intake.key(",")
    assert bench.frames.current() == at + 1
    intake.key("W")
    assert intake.session.clock.view_span_ns < 2_000_000


def test_of_two_frames_of_one_moment_the_chosen_one_stays_in_hand(intake):
    """SPI has a frame of each data line at once."""
    bench = take(intake, "winch")
    desk, frames = intake.window.intake, bench.frames
    times = frames.times()
    row = next(n for n in range(20, 60) if times[n] == times[n + 1])
    for chosen in (row, row + 1):
        frames.show_frame(chosen)
        frames.go(chosen)
        intake.settle()
        assert frames.current() == chosen
        assert desk.came_out.words(chosen).address in desk.came_out.accessibleDescription()
        desk.waves.setFocus()
        intake.key(".")
        assert frames.current() == chosen + 1
        intake.key(",")
        assert frames.current() == chosen
    device = bench.outcome.result.frames.address[row]
    frames.go(row)
    intake.key("A")
    assert frames.current() > row + 1 and bench.outcome.result.frames.address[frames.current()] == device
    intake.click(desk.came_out.viewport(), QPoint(60, desk.came_out.head_height + 10))
    first = desk.came_out.first()
    assert frames.current() == first
    intake.session.clock.set_cursor(int(times[row]) + 1)
    assert frames.current() == row + 1, "elsewhere it is the last one again"


@pytest.mark.parametrize("lane", ["winch", "bilge", "deck"])
def test_a_frame_on_read_leads_to_its_own_wave(pilot, lane):
    pilot.key("2")
    frames, session = pilot.window.read.frames, pilot.session
    number = next(n for n, one in enumerate(session.capture.lanes) if one.name == lane)
    frames.listed.show_lanes(frozenset({number}))
    frames._put_cursor(15)
    frames.go(1)
    pilot.settle()
    wanted = frames.listed.in_hand()
    frames.setFocus()
    pilot.key("W")
    assert pilot.window.desk_name == "Intake"
    bench = pilot.window.intake.bench
    pilot.wait(lambda: bench.outcome is not None and bench._frame_to_come is None, "its wave")
    assert lane in session.outcomes[bench.number].lanes
    row = bench.frames.current()
    table = bench.outcome.result.frames
    assert (int(bench.frames.times()[row]), int(table.address[row])) == (wanted.time_ns, wanted.address)
    assert session.clock.view_first_ns < wanted.time_ns < session.clock.view_last_ns
    assert session.clock.view_span_ns < 1_000_000_000, "the frame is brought into view, not the recording"


def test_a_frame_of_a_log_leads_to_its_recording(pilot):
    pilot.key("2")
    frames, session = pilot.window.read.frames, pilot.session
    number = next(n for n, one in enumerate(session.capture.lanes) if one.name == "thruster")
    frames.listed.show_lanes(frozenset({number}))
    frames._put_cursor(5)
    frames.setFocus()
    pilot.key("W")
    assert pilot.window.desk_name == "Intake"
    assert session.outcomes[pilot.window.intake.bench.number].path.name.startswith("thruster")


def test_a_fault_is_found_inside_the_frame_that_has_it(intake):
    bench = take(intake, "bilge")
    result, clock = bench.outcome.result, intake.session.clock
    marks = result.marks.rows[(result.marks.flags != 0) & (result.marks.frame >= 0)]
    wrong = marks[marks[:, 0] > result.frames.time_ns[marks[:, 5]]][0]
    clock.set_cursor(int(result.frames.time_ns[wrong[5]]) + bench.zero_ns)
    intake.window.intake.waves.setFocus()
    intake.key("E")
    assert clock.cursor_ns == wrong[0] + bench.zero_ns and bench.frames.current() == wrong[5]
    clock.set_cursor(clock.last_ns)
    intake.key("E")
    assert "There is no further fault." in intake.window.foot.told.text()


def test_the_next_frame_of_a_device_may_be_about_another_register(intake):
    bench = take(intake, "bilge")
    addresses = bench.outcome.result.frames.address
    intake.window.intake.waves.setFocus()
    bench.frames.go(0)
    intake.key("A")
    row = bench.frames.current()
    assert row > 0 and addresses[row] >> 16 == addresses[0] >> 16
    assert not (addresses[1:row] >> 16 == addresses[0] >> 16).any()


def test_bytes_are_shown_in_the_form_the_keys_ask_for(intake):
    take(intake, "bilge")
    for key, form, text in (("D", "dec", "16"), ("B", "bin", "00010000"), ("H", "hex", "10")):
        intake.key(key)
        assert intake.session.form.asked == form and mark_text(5, 0x10, form) == text
    assert mark_text(5, 0x41, "text") == "A" and mark_text(9, 0x41, "hex") == "sync"


def test_a_source_without_a_recipe_is_worked_out_and_put_to_use(intake):
    bench = take(intake, "sounder")
    session = intake.session
    assert bench.recipe is not None and "Looks like Manchester words" in words(intake)
    assert "three levels" in words(intake) and bench.outcome.counts()["frames"] == 29
    frames = len(session.capture)
    intake.click(
        next(b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.text() == "Use these frames")
    )
    intake.wait_open()
    assert len(session.capture) == frames + 29
    assert "sounder" in {lane.name for lane in session.capture.lanes}
    assert session.trial.file.sources[bench.number].recipe == bench.recipe
    assert any(b.text() == "In use" for b in intake.window.intake.recipe.findChildren(QPushButton))
    number = len(session.library.recipes.heads())
    intake.click(next(b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.text() == "Save recipe"))
    assert len(session.library.recipes.heads()) == number + 1
    assert "is kept in the library" in intake.window.foot.told.text()


def test_settings_are_changed_by_their_widgets(intake):
    bench = take(intake, "deck")
    parity = part_named(intake, QComboBox, "parity")
    index = parity.findText("odd")
    parity.setCurrentIndex(index)
    parity.activated.emit(index)
    intake.settle()
    assert bench.recipe.line.parity == "odd" and bench.outcome.counts().get("parity", 0) > 100
    rate = part_named(intake, QLineEdit, "rate")
    intake.type(rate, "9600", enter=True)
    assert bench.recipe.line.rate == 9600
    rate = part_named(intake, QLineEdit, "rate")
    intake.type(rate, "fast", enter=True)
    assert bench.recipe.line.rate == 9600 and part_named(intake, QLineEdit, "rate").property("wrong")
    box = part_named(intake, QCheckBox, "inverted")
    box.setChecked(True)
    intake.settle()
    assert bench.recipe.line.inverted
    intake.window.intake.waves.setFocus()
    for _ in range(3):
        intake.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.recipe.line.parity == "even" and "bad check" in bench.outcome.counts()


def test_bytes_of_a_line_without_a_framing_are_told_as_put_together_by_their_silence(intake):
    """Each way is listed once, and the one in use can be set: a length of its silence names it."""
    bench = take(intake, "deck-bus")
    bench.take(msgspec.structs.replace(bench.recipe, framing=None))
    intake.settle()
    choice = part_named(intake, QComboBox, "put together by")
    ways = [choice.itemText(n) for n in range(choice.count())]
    assert choice.currentText() == "silent gap" and len(ways) == len(set(ways)) and "as they are" not in ways
    intake.type(part_named(intake, QLineEdit, "silence"), "700", enter=True)
    assert bench.recipe.framing == GapFraming(gap_us=700.0)
    # pieces of bytes in a log may be messages as they stand
    bench = take(intake, "compass")
    choice = part_named(intake, QComboBox, "put together by")
    ways = [choice.itemText(n) for n in range(choice.count())]
    assert ways[0] == "as they are" and len(ways) == len(set(ways))
    assert intake.window.intake.head.words.text() == "timed bytes into frames"


def test_another_line_code_and_another_reading_are_tried(intake):
    bench = take(intake, "bilge")
    speaks = part_named(intake, QComboBox, "speaks")
    index = speaks.findText("SPI")
    speaks.setCurrentIndex(index)
    speaks.activated.emit(index)
    intake.settle()
    assert bench.recipe.speaks == "SPI" and bench.recipe.line.clock == "ch1"
    more = next(
        b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.text().startswith("Other readings")
    )
    intake.click(more)
    taken = next(
        b for b in intake.window.intake.recipe.findChildren(QPushButton) if b.accessibleName().endswith("library")
    )
    intake.click(taken)
    assert bench.recipe.name == "bilge level" and len(bench.outcome.result.frames) == 59


def test_repeats_are_voted_and_shown(intake):
    bench = take(intake, "pendant")
    assert "11 bursts, 3 messages, 2 distinct" in words(intake)
    votes = intake.window.intake.recipe.outcome.votes_view
    assert "2A 5C 36 80 · 26 bits: 5 repeats" in votes.toolTip() and votes.isVisible()
    assert bench.outcome.lines["I/Q"].threshold is not None
    assert intake.window.intake.recipe.outcome.lengths_view.isVisible()


def test_a_lane_is_moved_by_dragging_its_wave(intake):
    bench = take(intake, "pendant")
    waves, clock = intake.window.intake.waves, intake.session.clock
    before = int(bench.frames.times()[0])
    start = QPointF(waves.place.plot().center().x(), waves.place.plot().center().y())
    moved = 40 * clock.view_span_ns / waves.place.plot().width()
    intake.drag(waves, start, start + QPointF(40, 0), Qt.KeyboardModifier.ControlModifier)
    intake.wait_open()
    assert intake.session.trial.file.lane_entry("pendant").offset_ns == pytest.approx(moved, rel=0.02)
    assert int(bench.frames.times()[0]) - before == pytest.approx(moved, rel=0.02)
    lane = [known.name for known in intake.session.capture.lanes].index("pendant")
    times = intake.session.capture.in_order().time_ns[intake.session.capture.in_order().lane == lane]
    assert int(times[0]) == int(bench.frames.times()[0]), "the capture moved with the wave"


def test_columns_are_chosen_with_a_preview(intake):
    bench = take(intake, "bilge")
    desk = intake.window.intake
    intake.click(next(b for b in desk.recipe.findChildren(QPushButton) if b.text() == "Columns…"))
    assert desk.pages.currentWidget() is desk.picker and desk.picker.columns.roles == ("time", "channel", "channel")
    cells = {child.text() for child in desk.picker.findChildren(QLabel)}
    assert any(text.startswith("1778572") for text in cells) and "ch2" in cells
    role = next(w for w in desk.picker.findChildren(QComboBox) if w.accessibleName() == "meaning of ch2")
    role.textActivated.emit("ignore")
    intake.click(next(b for b in desk.picker.findChildren(QPushButton) if b.text() == "Read it this way"))
    assert [channel.name for channel in bench.opened.recording.channels] == ["ch1"]
    assert "there is no channel 'ch2'" in bench.problem
    intake.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(bench.outcome.result.frames) == 59


def test_a_wrong_format_is_overruled(intake):
    take(intake, "compass")
    desk = intake.window.intake
    desk.format.setCurrentText("SocketCAN text log")
    desk.format.activated.emit(desk.format.currentIndex())
    intake.wait_open()
    assert intake.session.outcomes[desk.bench.number].report.problem_count > 100


def test_a_packet_source_shows_its_link_and_its_frames(intake):
    bench = take(intake, "shore")
    assert bench.outcome.counts()["late"] == 2 and "Modbus TCP" in bench.recipe.speaks
    assert "sent again" in words(intake)
    desk = intake.window.intake
    assert desk.came_out.count() == len(bench.outcome.result.frames) and not desk.waves.isVisible()
    intake.session.clock.set_cursor(intake.session.clock.first_ns)
    intake.key("E")
    assert desk.came_out.words(bench.frames.current()).problem == "unanswered"
    refused = int(np.flatnonzero(bench.outcome.result.frames.flags & F.EXCEPTION)[0])
    assert desk.came_out.words(refused).problem == "illegal address"


def test_the_registers_at_the_cursor_are_rebuilt(intake):
    bench = take(intake, "bilge")
    view = intake.window.intake.recipe.outcome.registers_view
    bench.frames.go(1)
    intake.settle()
    early = view.accessibleDescription()
    bench.frames.go(40)
    intake.settle()
    assert view.isVisible() and "0x10 is" in early and "0x18 is 5" in view.accessibleDescription()
    assert "0x18" not in early


def test_the_columns_of_a_frame_table_are_chosen(intake, tmp_path):
    path = tmp_path / "noted.csv"
    path.write_text(
        "t,what,id,len,b0,b1\n" + "".join(f"{n * 0.01:.2f},x,{256 + n % 3},2,{n:02X},0A\n" for n in range(60))
    )
    intake.session.trials.open_paths([path])
    intake.wait_open()
    bench = take(intake, "noted")
    desk = intake.window.intake
    intake.click(next(b for b in desk.recipe.findChildren(QPushButton) if b.text() == "Columns…"))
    assert desk.picker.columns.roles == ("time", "ignore", "address", "size", "byte", "byte")
    role = next(w for w in desk.picker.findChildren(QComboBox) if w.accessibleName() == "meaning of b1")
    role.textActivated.emit("ignore")
    intake.click(next(b for b in desk.picker.findChildren(QPushButton) if b.text() == "Read it this way"))
    assert bench.outcome.result.frames.size.tolist() == [1] * 60
    intake.click(next(b for b in desk.recipe.findChildren(QPushButton) if b.text() == "Use these frames"))
    intake.wait_open()
    lanes = [lane.name for lane in intake.session.capture.lanes]
    assert (intake.session.capture.in_order().lane == lanes.index("noted")).sum() == 60


def test_whole_frames_need_no_recipe(intake):
    take(intake, "thruster")
    desk = intake.window.intake
    assert desk.side.currentWidget() is desk.problems and desk.bench.opened is None


def test_up_and_down_nudge_the_threshold(intake):
    bench = take(intake, "bilge")
    waves = intake.window.intake.waves
    waves.setFocus()
    intake.key(Qt.Key.Key_Up)
    assert 1.62 < bench.recipe.level("ch1").above < 1.7
    intake.key(Qt.Key.Key_Down)
    assert bench.recipe.level("ch1").above == pytest.approx(1.62, abs=0.01)
