"""A layout whose message nobody recorded here: opened, edited, undone, and in hand with a message when one comes."""

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.desk.desks.handover.desk import CODE, TRIAL
from zesty_abacus.desk.widgets.told import told_lines

CONTROL = Qt.KeyboardModifier.ControlModifier


def layout_named(pilot, name):
    return next(one for one in pilot.session.edits.layouts() if one.name == name)


@pytest.fixture
def desk(pilot):
    """The Layouts desk with Hook request, of which the trial has no frame, opened from the library."""
    window = pilot.window
    pilot.key(Qt.Key.Key_L, CONTROL)
    library = window.library
    pilot.type(library.list.line, "hook request")
    pilot.wait(lambda: library.list.current and library.list.current.name == "Hook request", "the layout")
    assert library.side.words.text().endswith("reads no message of this capture") and library.side.open.isEnabled()
    pilot.click(library.side.open)
    return window.layouts


def test_it_is_shown_with_its_history_and_without_a_try(pilot, desk):
    assert pilot.window.desk_name == "Layouts" and pilot.session.in_hand.kind is None
    assert desk.head.title.text() == "Hook request" and desk.head.words.text().startswith(
        "0x3B0, on thruster · 4 bytes"
    )
    assert desk.message.why.text() == "It reads no message of the open capture."
    assert "No frame of it was recorded here." in [line.words for line in told_lines(desk.tried)]
    assert any("bench 2" in one.text() for one in desk.side.findChildren(QLabel))
    assert not desk.reader.isVisible() or not desk.reader.isEnabled() or desk.reader.which.count() <= 1


def test_its_fields_are_edited_and_the_edit_is_undone(pilot, desk):
    field = layout_named(pilot, "Hook request").field_named("wanted")
    pilot.click(desk.plan.column.cards[field.id])
    pilot.type(desk.plan.column.form.lines["name"], "wish", enter=True)
    assert layout_named(pilot, "Hook request").field_named("wish") is not None
    assert desk.head.title.text() == "Hook request" and pilot.session.in_hand.kind is None, "it stays in hand"
    desk.plan.pictures.abacus.setFocus()
    pilot.key(Qt.Key.Key_Escape)
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert layout_named(pilot, "Hook request").field_named("wanted") is not None


def test_a_field_is_made_of_beads(pilot, desk):
    pilot.drag_beads(8, 15, desk="layouts")
    pilot.key("F")
    made = layout_named(pilot, "Hook request").field_named("field 4")
    assert made is not None and str(made.places) == "B1"


def test_with_an_address_that_was_recorded_it_has_a_message_in_hand(pilot, desk):
    pilot.type(desk.message.lines["address"], "0x2C1", enter=True)
    assert pilot.session.in_hand.kind == pilot.kind(0x2C1)
    assert desk.head.title.text() == "Hook request" and desk.message.why.text() != ""


def test_a_layout_stays_in_hand_when_it_is_given_an_address_that_nobody_sent(pilot):
    pilot.pick_kind(0x310)
    pilot.key("4")
    desk = pilot.window.layouts
    pilot.type(desk.message.lines["address"], "0x311", enter=True)
    assert pilot.session.in_hand.kind is None and desk.head.title.text() == "Helm lever"
    pilot.type(desk.message.lines["note"], "moved", enter=True)
    assert layout_named(pilot, "Helm lever").note == "moved" and desk.head.title.text() == "Helm lever"
    pilot.type(desk.message.lines["address"], "0x310", enter=True)
    assert pilot.session.in_hand.kind == pilot.kind(0x310) and desk.head.title.text() == "Helm lever"


def test_with_a_recording_of_it_brought_in_it_has_a_message_in_hand(pilot, desk, tmp_path):
    recording = tmp_path / "hook.log"
    payload = encode_message(layout_named(pilot, "Hook request"), {"wanted": "release"}).payload.hex()
    recording.write_text("".join(f"(1778572{800 + n}.000000) thruster 3B0#{payload}\n" for n in range(5)))
    pilot.session.trials.add_sources([recording])
    pilot.wait(lambda: pilot.session.in_hand.kind is not None, "the message")
    pilot.settle()
    assert pilot.session.kinds.key(pilot.session.in_hand.kind).address == 0x3B0
    assert desk.head.title.text() == "Hook request" and "names this lane" in desk.message.why.text()
    pilot.key("4")
    assert "wanted, always release, in every frame" in [line.words for line in told_lines(desk.tried)]


def test_a_message_that_is_chosen_takes_its_place(pilot, desk):
    pilot.pick_kind(0x1A0)
    assert desk.head.title.text() == "Azimuth command port"
    pilot.session.in_hand.take_layout(layout_named(pilot, "Hook request").id)
    pilot.settle()
    assert desk.head.title.text() == "Hook request"
    pilot.session.in_hand.take_kind(None)
    pilot.settle()
    assert desk.head.title.text() == "Layouts"


def test_other_desks_say_that_no_message_is_in_hand(pilot, desk):
    for key in "2356":
        pilot.key(key)
    code = pilot.window.handover.code
    pilot.window.handover.pages.show_page(CODE)
    pilot.settle()
    code.messages.choose("kind")
    pilot.wait(lambda: code.made is not None and len(code.made.manifest.messages) == 1, "the code of the one in hand")
    assert code.made.manifest.messages[0].message == "Hook request"
    pilot.key("3")
    assert pilot.session.in_hand.kind is None and pilot.window.desk_name == "Unravel"
    pilot.key("4")
    assert desk.head.title.text() == "Hook request"


def test_it_leaves_with_the_packed_trial(pilot, desk, tmp_path):
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(TRIAL)
    page = pilot.window.handover.trial
    page.lanes.choose("kind")
    assert page.said.text() == "No message is in hand; choose one in the roster."
    page.lanes.choose("all")
    page.messages.choose("kind")
    pilot.type(page.target.path, str(tmp_path / "hook.ztrial"), enter=True)
    assert "is packed: " in page.outcome.text()
    pilot.session.trials.open_paths([tmp_path / "hook.ztrial"])
    pilot.settle()
    assert [layout.name for layout in pilot.session.edits.layouts()] == ["Hook request"]
    assert pilot.session.in_hand.layout is None, "another trial begins with nothing in hand"


def test_what_others_change_of_it_is_seen(pilot, desk):
    theirs = msgspec.structs.replace(layout_named(pilot, "Hook request"), name="Hook wish")
    head = pilot.session.library.layouts.head_of(theirs.id)
    pilot.session.library.layouts.commit(theirs, parent=head.revision.id, author="another")
    pilot.wait(lambda: desk.head.title.text() == "Hook wish", "the change of another")


def test_a_register_map_alone_has_a_ladder(pilot):
    shore = layout_named(pilot, "Shore energy")
    elsewhere = msgspec.structs.replace(shore, registers=msgspec.structs.replace(shore.registers, device=9))
    assert pilot.session.edits.change(elsewhere)
    pilot.settle()
    pilot.session.in_hand.take_layout(shore.id)
    pilot.key("4")
    desk = pilot.window.layouts
    assert pilot.session.in_hand.kind is None and desk.head.words.text().startswith("1 field in holding registers")
    assert "exchange" not in desk.head.words.text()
    assert any("energy" in line.words for line in told_lines(desk.plan.pictures.ladder))


def test_a_layout_is_begun_from_papers(pilot):
    pilot.key(Qt.Key.Key_K, CONTROL)
    pilot.type(pilot.window.header.find_box, "not recorded")
    QTest.keyClick(pilot.window.header.find_box, Qt.Key.Key_Return)
    pilot.settle()
    desk, form = pilot.window.layouts, pilot.window.layouts.start.unrecorded
    assert pilot.window.desk_name == "Layouts" and form.line.hasFocus() and form.sort.currentText() == "CAN"
    assert form.line.placeholderText() == "identifier, such as 0x1A0"
    QTest.keyClick(form.line, Qt.Key.Key_Return)
    assert form.problem.isVisible() and "Give its identifier" in form.problem.text(), "any identifier would read all"
    pilot.type(form.line, "zz", enter=True)
    assert "is no address" in form.problem.text() and form.line.text() == "zz"
    pilot.type(form.line, "0x7A0", enter=True)
    assert desk.head.title.text() == "Message 0x7A0" and desk.head.words.text().startswith(
        "0x7A0, on any lane · 8 bytes"
    )
    assert desk.plan.pictures.abacus.hasFocus(), "the next key is about beads"
    pilot.drag_beads(7, 8, desk="layouts")
    pilot.key("F")
    pilot.type(desk.plan.column.form.lines["name"], "depth", enter=True)
    kept = layout_named(pilot, "Message 0x7A0")
    assert str(kept.field_named("depth").places) == "B1 B0"


def test_a_device_is_begun_from_papers(pilot):
    pilot.key("4")
    desk, form = pilot.window.layouts, pilot.window.layouts.start.unrecorded
    desk.ask_unrecorded()
    pilot.settle()
    form.sort.setCurrentText("Modbus, holding registers")
    pilot.type(form.line, "1999", enter=True)
    assert "is no device" in form.problem.text()
    pilot.type(form.line, "17", enter=True)
    made = layout_named(pilot, "Device 17 holding registers")
    assert (made.registers.device, made.registers.space.value) == (17, "holding")
    pilot.click(desk.add)
    assert len(layout_named(pilot, "Device 17 holding registers").fields) == 1


def test_one_that_was_recorded_after_all_is_in_hand_with_its_message(pilot):
    pilot.key("4")
    desk = pilot.window.layouts
    desk.ask_unrecorded()
    pilot.settle()
    pilot.type(desk.start.unrecorded.line, "0x2D0", enter=True)
    assert pilot.session.in_hand.kind == pilot.kind(0x2D0) and desk.head.title.text() == "Message 0x2D0"


def test_papers_are_typed_in_before_anything_is_recorded(empty, tmp_path):
    """A new trial without recordings has a library, and a library is all that a layout needs."""
    empty.session.trials.begin(tmp_path / "trial")
    empty.wait(lambda: empty.session.capture is not None, "the trial")
    empty.settle()
    empty.key("4")
    desk, form = empty.window.layouts, empty.window.layouts.start.unrecorded
    assert form.isVisible()
    form.sort.setCurrentText("LIN")
    empty.type(form.line, "0x12", enter=True)
    assert desk.head.title.text() == "Message 0x12"
    empty.drag_beads(7, 7, desk="layouts")
    empty.key("F")
    empty.type(desk.plan.column.form.lines["name"], "lamp", enter=True)
    assert layout_named(empty, "Message 0x12").field_named("lamp").kind.value == "flag"
    empty.key(Qt.Key.Key_Escape)
    # and it leaves as any other
    assert [layout.name for layout in empty.session.edits.layouts()] == ["Message 0x12"]
