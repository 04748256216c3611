import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from tests.desk.conftest import let_go
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.desk.app.commands import Command, always
from zesty_abacus.desk.around.key_help import KeyHelp
from zesty_abacus.desk.around.roster_model import Device
from zesty_abacus.desk.around.strip import NAMES_WIDTH
from zesty_abacus.desk.around.strip.scale import TOP
from zesty_abacus.desk.launch import make_window
from zesty_abacus.desk.widgets.told import told_lines

CONTROL = Qt.KeyboardModifier.ControlModifier


def test_every_command_has_words_and_keys_of_its_own(pilot):
    commands = pilot.window.commands
    assert len({command.id for command in commands}) == len(commands)
    assert all(command.title and command.title[0].isupper() for command in commands)
    for desk in ("", *pilot.window.desks):
        keys = [c.shortcut for c in commands if c.shortcut and c.desk in ("", desk)]
        assert len(keys) == len(set(keys)), f"two commands share a key on {desk}"


def test_every_command_can_be_found_by_its_words(pilot):
    find = pilot.window.header.find_box
    for command in pilot.window.commands:
        if command.enabled():
            pilot.window.header.find_box.setText(command.title)
            find._search(command.title)
            assert command.title in find.findings()
    find.clear()
    find._hide_popup()


def test_commands_of_another_desk_do_nothing_by_key(pilot):
    pilot.pick_kind(0x2C1)
    pilot.key("2")
    pilot.key("U")
    assert pilot.session.in_hand.bits == frozenset(), "U belongs to Unravel"
    pilot.key("3")
    pilot.key("U")
    assert pilot.session.in_hand.bits


def test_a_command_of_another_desk_that_was_found_is_done_there(pilot):
    find, window = pilot.window.header.find_box, pilot.window
    pilot.pick_kind(0x2C1)
    for words, desk in (("Pack the trial", "Hand over"), ("Select all unexplained moving bits", "Unravel")):
        pilot.key("2")
        pilot.key(Qt.Key.Key_K, CONTROL)
        pilot.type(find, words)
        QTest.keyClick(find, Qt.Key.Key_Return)
        pilot.settle()
        assert window.desk_name == desk
    assert window.handover.trial.isVisibleTo(window.handover) and pilot.session.in_hand.bits


def test_a_command_without_conditions_is_always_there():
    done = []
    command = Command("x", "Do", "", lambda: done.append(1))
    assert command.enabled is always and command.enabled()
    command.run()
    assert done == [1]


def test_find_is_walked_by_keys_and_left_by_escape(pilot):
    find = pilot.window.header.find_box
    pilot.key(Qt.Key.Key_K, CONTROL)
    pilot.type(find, "azimuth")
    assert len(find.findings()) > 4
    QTest.keyClick(find, Qt.Key.Key_Down)
    QTest.keyClick(find, Qt.Key.Key_Down)
    assert find._list.currentIndex().row() == 2
    QTest.keyClick(find, Qt.Key.Key_Up)
    wanted = find.findings()[1]
    QTest.keyClick(find, Qt.Key.Key_Return)
    pilot.settle()
    name = pilot.session.kinds.name(pilot.session.in_hand.kind)
    assert wanted.startswith(name)
    pilot.key(Qt.Key.Key_K, CONTROL)
    QTest.keyClick(find, Qt.Key.Key_Escape)
    assert not find.hasFocus() and not find._popup.isVisible()


def test_find_takes_any_text(pilot):
    find = pilot.window.header.find_box
    for text in ("%_!", "'; DROP TABLE", "<b>x</b>", "漢字", "a" * 5000):
        find.clear()
        find.insert(text)
        find._search(find.text())
        pilot.settle()
        assert find.findings() == []
    find._search(" " * 30)
    assert find.findings(), "blanks alone ask for nothing in particular"


def test_an_unnamed_message_is_found_by_its_address(pilot):
    pilot.type(pilot.window.header.find_box, "2d0", enter=True)
    assert pilot.session.in_hand.kind == pilot.kind(0x2D0)


def test_a_click_on_a_flag_goes_to_its_moment(pilot):
    strip, session = pilot.window.strip, pilot.session
    moment = session.trial.file.moments[2]
    x = strip.scale.x_of(moment.time_ns)
    pilot.click(strip, QPointF(x + 4, 9))
    assert session.clock.cursor_ns == moment.time_ns
    assert session.clock.view_first_ns <= moment.time_ns <= session.clock.view_last_ns


def test_a_click_outside_the_bracket_brings_it_there(pilot):
    strip, clock = pilot.window.strip, pilot.session.clock
    span = clock.view_span_ns
    point = QPointF(strip.width() - 120, strip.height() / 2)
    pilot.click(strip, point)
    assert clock.view_span_ns == span
    assert clock.view_first_ns <= clock.cursor_ns <= clock.view_last_ns
    assert abs(clock.cursor_ns - strip.scale.time_at(point.x())) < span / 50


def test_names_at_the_left_of_the_strip_are_no_time(pilot):
    clock = pilot.session.clock
    before = (clock.cursor_ns, clock.view_first_ns)
    pilot.click(pilot.window.strip, QPoint(NAMES_WIDTH // 2, 30))
    assert before == (clock.cursor_ns, clock.view_first_ns)


def test_time_and_place_are_inverse(pilot):
    strip, clock = pilot.window.strip, pilot.session.clock
    for share in (0.0, 0.25, 1.0):
        time_ns = clock.first_ns + int(share * (clock.last_ns - clock.first_ns))
        assert abs(strip.scale.time_at(strip.scale.x_of(time_ns)) - time_ns) < 1000


def test_a_moment_is_dropped_by_leaving_it_and_a_blank_one_is_none(pilot):
    strip, session = pilot.window.strip, pilot.session
    before = session.trial.file.moments
    strip.begin_moment()
    pilot.settle()
    QTest.keyClicks(strip.moments.entry, "   ")
    QTest.keyClick(strip.moments.entry, Qt.Key.Key_Return)
    pilot.settle()
    assert session.trial.file.moments == before
    strip.begin_moment()
    QTest.keyClicks(strip.moments.entry, "typed but left")
    strip.setFocus()
    pilot.settle()
    assert strip.moments.entry is None and session.trial.file.moments == before


def test_moments_are_found_and_come_in_order_of_time(pilot):
    session = pilot.session
    session.clock.set_cursor(session.clock.first_ns + 10**9)
    session.trials.add_moment(session.clock.cursor_ns, "zz first")
    times = [moment.time_ns for moment in session.trial.file.moments]
    assert times == sorted(times) and session.trial.file.moments[0].text == "zz first"
    pilot.type(pilot.window.header.find_box, "zz first")
    assert pilot.window.header.find_box.findings() == ["zz first"]


def test_the_roster_says_each_kind_to_screen_readers(pilot):
    model = pilot.window.roster.model
    role = Qt.ItemDataRole.AccessibleTextRole
    texts = [model.data(model.index(row), role) for row in range(model.rowCount())]
    assert texts[0] == "thruster" and "0x2C1 unnamed, 0% explained" in texts
    assert any(text.startswith("0x18FF0210 Pack totals, 100%") for text in texts)
    session = pilot.session
    assert any(text.startswith("unit 17 Valve island, Deck valves, 5 exchanges") for text in texts)
    closed = [entry for entry in model.entries if isinstance(entry, Device)]
    inside = sum(len(device.kinds) - 1 for device in closed)
    assert len(texts) == len(session.capture.kinds.keys) + len(session.capture.lanes) - inside


def test_the_next_kind_by_key_goes_round_the_roster(pilot):
    pilot.pick_kind(0x1A0)
    pilot.window.strip.setFocus()
    pilot.key("N")
    assert pilot.session.in_hand.kind == pilot.kind(0x1A1)
    pilot.key("N", Qt.KeyboardModifier.ShiftModifier)
    pilot.key("N", Qt.KeyboardModifier.ShiftModifier)
    pilot.key("N", Qt.KeyboardModifier.ShiftModifier)
    last = [entry for entry in pilot.window.roster.model.entries if isinstance(entry, int)][-1]
    assert pilot.session.in_hand.kind == last, "from the first to the last"


def test_a_kind_filtered_away_stays_in_hand(pilot):
    pilot.pick_kind(0x1A0)
    pilot.type(pilot.window.roster.filter, "pack")
    assert pilot.session.in_hand.kind == pilot.kind(0x1A0)
    assert not pilot.window.roster.show_entry(pilot.session.in_hand.kind).isValid()
    pilot.window.roster.filter.clear()
    pilot.settle()
    assert pilot.window.roster.view.currentIndex().isValid()


def test_shares_add_up_from_roster_to_strip_to_whole(pilot):
    session = pilot.session
    total = session.reading.counts.explained_of_all()
    assert total.moving == sum(part.moving for part in session.reading.counts.explained)
    assert pilot.window.roster.total_share.text() == f"{total.share:.0%}"
    lanes = [pilot.window.strip.lanes.share_of(number) for number in range(2)]
    assert all(text.endswith("%") for text in lanes) and lanes[0] != lanes[1]


def test_a_lane_is_brown_above_for_what_is_unexplained(pilot):
    strip, session = pilot.window.strip, pilot.session
    image = strip.grab().toImage()
    tall, x = strip.lanes.lane_height(), int(strip.scale.plot().right()) - 60

    def brown_rows(lane):
        column = [image.pixelColor(x, TOP + lane * tall + 1 + row) for row in range(tall - 2)]
        return sum(color.hue() in range(25, 45) and color.saturation() > 80 for color in column)

    shares = [session.reading.counts.explained_of_all(
        kind for kind, key in enumerate(session.capture.kinds.keys) if key.lane == lane).share
        for lane in range(2)]  # fmt: skip
    # both send so often that each column has frames
    for lane, share in enumerate(shares):
        assert 0.4 < share < 1 and abs(brown_rows(lane) - (1 - share) * (tall - 2)) <= 1
    assert strip.lanes._brown_rows(4, 11) == 0, "all of the bilge sensor is explained"
    pilot._move(strip, QPointF(60, TOP + 8), Qt.KeyboardModifier.NoModifier)
    assert "brown is what no layout explains" in strip.toolTip()


def test_the_lanes_are_folded_by_hand_or_key_and_stay_so_in_the_next_window(pilot):
    strip, before = pilot.window.strip, pilot.window.strip.height()
    pilot.click(strip.links.fold)
    assert strip.links.fold.text() == "Show lanes" and strip.height() < before - 60
    x = int(strip.scale.plot().left()) + 30
    colours = {strip.grab().toImage().pixelColor(x, y).name() for y in range(strip.height())}
    assert len(colours) > 5, "lanes are there still"
    pilot.window.setFocus()
    pilot.key(Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    assert strip.height() == before and strip.links.fold.text() == "Fold lanes"
    pilot.click(strip.links.fold)
    other = make_window(empty=True)
    assert other.strip.lanes.is_folded and other.strip.links.fold.isHidden()
    let_go(other)


def test_words_before_a_flag_are_those_of_its_moment(pilot):
    """The first two moments of the demo are so close that the first one's words stand before its flag."""
    strip, session = pilot.window.strip, pilot.session
    first, second, *_ = session.trial.file.moments
    x = strip.scale.x_of(first.time_ns)
    assert strip.moments.text_at(QPointF(x - 30, 9)) == first.text
    assert strip.moments.text_at(QPointF(x - 200, 9)) == ""
    assert strip.moments.text_at(QPointF(strip.scale.x_of(second.time_ns) + 30, 9)) == second.text
    pilot.click(strip, QPointF(x - 30, 9))
    assert session.clock.cursor_ns == first.time_ns


@pytest.mark.parametrize("words", ["hook request", "0x3b0", "wanted"])
def test_a_layout_of_the_library_is_found_though_the_capture_has_no_such_message(pilot, words):
    find, window = pilot.window.header.find_box, pilot.window
    pilot.key(Qt.Key.Key_K, CONTROL)
    pilot.type(find, words)
    assert find.findings()[0] == "Hook request" and find.findings().count("Hook request") == 1
    QTest.keyClick(find, Qt.Key.Key_Return)
    pilot.settle()
    assert window.desk_name == "Layouts" and window.layouts.head.title.text() == "Hook request"


def test_what_the_capture_has_is_found_as_its_message_alone(pilot):
    find = pilot.window.header.find_box
    pilot.type(find, "helm lever")
    kinds = [finding.what for finding in find._found]
    assert kinds.count("message") == 1 and "layout" not in kinds
    # a layout that is brought in while one works is found from then on
    pilot.session.edits.change(new_layout("Anchor winch", Applies(address=0x123), 1), "made")
    pilot.settle()
    pilot.type(find, "anchor winch")
    assert find.findings() == ["Anchor winch"]
    find.clear()


def test_keys_of_the_desk_come_first_and_are_written_as_on_the_keyboard(pilot):
    pilot.key("4")
    pilot.key(Qt.Key.Key_F1)
    said = [line.words for line in told_lines(pilot.window.findChild(KeyHelp))]
    assert said[1].startswith("On Layouts alone") and said[2].startswith("F, New field from the selected beads")
    text = " ".join(said)
    assert "Everywhere" in text and "Ctrl +, Larger text" in text and "Ctrl Shift Left, Make the open field" in text
    assert "Ctrl, " not in text


@pytest.mark.parametrize("size", [(960, 540), (1280, 800)])
def test_all_keys_have_room(pilot, size):
    pilot.window.resize(*size)
    for desk in "123456":
        pilot.key(desk)
        pilot.key(Qt.Key.Key_F1)
        sheet = pilot.window.findChild(KeyHelp)
        assert max(line.at.y() for line in told_lines(sheet)) < sheet.height() - 10, desk
        pilot.key(Qt.Key.Key_Escape)
