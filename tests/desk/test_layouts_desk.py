import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton

from zesty_abacus.core.layouts.model import RawSet
from zesty_abacus.desk.app import engine
from zesty_abacus.desk.desks.layouts.history_entry import HistoryEntry
from zesty_abacus.desk.widgets.told import told_lines

FEEDBACK = 0x1A1


def open_plan(pilot, address=FEEDBACK):
    pilot.key("4")
    pilot.pick_kind(address)
    return pilot.window.layouts


def field_of(pilot, name, address=FEEDBACK):
    return pilot.session.reading.layout_of(pilot.kind(address)).field_named(name)


def test_a_card_opens_and_its_entries_change_the_field(pilot):
    desk = open_plan(pilot)
    rate = field_of(pilot, "rate")
    pilot.click(desk.plan.column.cards[rate.id])
    assert desk.plan.current == rate.id and desk.plan.pictures.abacus.bits == frozenset(rate.places.bits)
    pilot.type(desk.plan.column.form.lines["ratio"], "1/8", enter=True)
    assert str(field_of(pilot, "rate").ratio) == "1/8"
    pilot.wait(lambda: desk.side.changes[0].revision.reason == "rate step 0.125, was 0.1", "the history")
    pilot.type(desk.plan.column.form.lines["unavailable"], "0x7FF, -1", enter=True)
    assert field_of(pilot, "rate").unavailable == RawSet.of(2047, -1)


def test_wrong_entries_are_marked_and_change_nothing(pilot):
    desk = open_plan(pilot)
    before = pilot.session.reading.layout_of(pilot.kind(FEEDBACK))
    pilot.click(desk.plan.column.cards[field_of(pilot, "rate").id])
    form = desk.plan.column.form
    for attribute, text, words in (
        ("places", "B3[9]", "bit 9"),
        ("places", "B0", "overlaps angle"),
        ("places", "B9", "ends after byte 7"),
        ("ratio", "fast", "not a number"),
        ("low", "100", "low limit above"),
        ("unavailable", "70000", "cannot occur"),
        ("table", "5", "is no corner"),
        ("table", "5: 1, 2: 3", "rising x"),
        ("polynomial", "1, x", "not a number"),
        ("inverted", "perhaps", "neither yes nor no"),
        ("unavailable", "x", "neither a raw value"),
        ("names", "zero off", "is no value and its name"),
        ("names", "0", "is no value and its name"),
        ("name", " ", "no name"),
        ("name", "angle", "Two fields are called angle"),
    ):
        pilot.type(form.lines[attribute], text, enter=True)
        assert words in form.problem.text(), (attribute, text)
        assert form.lines[attribute].property("wrong") is True
        assert form.lines[attribute].text().strip() == text.strip(), "what was typed is still there"
        assert pilot.session.reading.layout_of(pilot.kind(FEEDBACK)) == before
        form.show_field(field_of(pilot, "rate"), before)


def test_dragging_beads_moves_the_open_field(pilot):
    desk = open_plan(pilot)
    flag = field_of(pilot, "limited")
    pilot.click(desk.plan.column.cards[flag.id])
    pilot.drag_beads(43, 43, desk="layouts")
    assert str(field_of(pilot, "limited").places) == "B5[3]"
    assert desk.plan.column.form.lines["places"].text() == "B5[3]"
    pilot.drag_beads(45, 44, desk="layouts")
    assert "a flag is one bit" in desk.plan.column.form.problem.text()
    assert str(field_of(pilot, "limited").places) == "B5[3]"
    pilot.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert str(field_of(pilot, "limited").places) == "B5[0]"


def test_byte_order_turns_with_one_key(pilot):
    desk = open_plan(pilot)
    angle = field_of(pilot, "angle")
    pilot.click(desk.plan.column.cards[angle.id])
    desk.plan.setFocus()
    pilot.click(desk.turn)
    assert str(field_of(pilot, "angle").places) == "B0 B1"
    pilot.wait(lambda: desk.tried.tried and desk.tried.tried[0].outside > 0, "the try to show values outside limits")


def test_a_new_field_of_free_beads_and_its_removal(pilot):
    desk = open_plan(pilot)
    pilot.drag_beads(45, 42, desk="layouts")
    pilot.click(desk.add)
    field = field_of(pilot, "field 8")
    assert str(field.places) == "B5[5..2]" and desk.plan.current == field.id
    pilot.type(desk.plan.column.form.lines["name"], "spare", enter=True)
    assert field_of(pilot, "spare") is not None
    pilot.click(desk.remove)
    assert field_of(pilot, "spare") is None and desk.plan.current is None


def test_kind_and_selector_are_chosen_in_the_card(pilot):
    desk = open_plan(pilot, 0x320)
    hours = field_of(pilot, "run time", 0x320)
    pilot.click(desk.plan.column.cards[hours.id])
    form = desk.plan.column.form
    form.kind.setCurrentIndex(form.kind.findData("signed"))
    form.kind.activated.emit(form.kind.currentIndex())
    pilot.settle()
    assert field_of(pilot, "run time", 0x320).kind.value == "signed"
    pilot.type(form.selector_values, "1, 2", enter=True)
    assert "overlaps" in form.problem.text(), "page 2 has other fields there"
    assert form.selector_values.text() == "1, 2", "what was typed is still there"
    pilot.type(form.selector_values, "1, 9", enter=True)
    assert field_of(pilot, "run time", 0x320).selected.values == RawSet.of(1, 9)


def test_a_card_shows_what_few_fields_need_only_when_asked(pilot):
    desk = open_plan(pilot)
    pilot.click(desk.plan.column.cards[field_of(pilot, "rate").id])
    form = desk.plan.column.form
    rare = ("table", "polynomial", "inverted", "encoding", "padding", "base", "digits")
    assert not [name for name in rare if form.lines[name].isVisible()], "rate is a plain number"
    pilot.click(form.more)
    assert all(form.lines[name].isVisible() for name in rare) and form.more.isHidden()
    assert not form.lines["padding"].isEnabled() and not form.lines["encoding"].isEnabled(), "of text only"


def test_what_text_is_filled_up_with_is_written_in_escapes(pilot):
    address = 0x18FFE010
    desk = open_plan(pilot, address)
    layout = pilot.session.reading.layout_of(pilot.kind(address))
    text = next(field for field in layout.fields if field.kind.value == "text")
    pilot.click(desk.plan.column.cards[text.id])
    form = desk.plan.column.form
    assert form.lines["encoding"].isVisible()
    pilot.click(form.more)
    assert form.lines["padding"].isEnabled()
    pilot.type(form.lines["padding"], r"\x02\x20", enter=True)
    assert field_of(pilot, text.name, address).padding == "\x02 "
    assert form.lines["padding"].text() == r"\x02\x20"
    assert form.lines["padding"].isVisible(), "it is not as usual any more"


def test_the_name_of_a_message_is_whole_or_says_that_it_is_not(pilot):
    desk = open_plan(pilot)
    pilot.click(desk.plan.column.cards[field_of(pilot, "rate").id])
    title = desk.head.title
    assert title.text() == "Azimuth feedback port"
    assert title.width() >= title.sizeHint().width() or title.toolTip() == title.text()
    assert desk.head.words.width() < desk.head.words.sizeHint().width(), "the words beside it give way first"


def test_the_message_is_edited_beside_the_try(pilot):
    desk = open_plan(pilot)
    form = desk.message
    pilot.type(form.lines["name"], "Port pod", enter=True)
    assert pilot.session.kinds.name(pilot.kind(FEEDBACK)) == "Port pod"
    for name, text, words in (("address", "xyz", "is no address"), ("size", "many", "not a number of bytes"),
                              ("size", "2", "ends after byte 1"), ("address", "FFFFFFFF", "29-bit")):  # fmt: skip
        pilot.type(form.lines[name], text, enter=True)
        assert words in form.problem.text()
    assert pilot.session.reading.layout_of(pilot.kind(FEEDBACK)).size == 8


def test_an_unnamed_message_begins_with_one_click(pilot):
    desk = open_plan(pilot, 0x2D0)
    assert desk.start.words.text() == "Nobody has named 0x2D0 yet."
    pilot.click(desk.start.begin)
    assert pilot.session.kinds.name(pilot.kind(0x2D0)) == "Message 0x2D0"


def test_history_tells_and_restores(pilot):
    desk = open_plan(pilot)
    pilot.wait(lambda: len(desk.side.changes) == 3, "three changes of the demo")
    newest, check, began = (change.revision for change in desk.side.changes)
    assert newest.reason.startswith("rate is signed, was unsigned") and began.author == "pod team"
    assert check.parent_id == began.id
    kept = desk.side.findChildren(HistoryEntry)
    pilot.click(next(one for one in kept[-1].findChildren(QPushButton) if one.text() == "Restore"))
    pilot.wait(lambda: len(desk.side.changes) == 4, "the restored state as a change")
    now = listed(desk.side)
    assert [one in kept for one in now] == [False, False, True, True], "what was listed before stays as it is"
    assert [one.findChild(QLabel).text() for one in now] == [
        change.revision.reason.partition(": ")[0] for change in desk.side.changes
    ]
    assert field_of(pilot, "check") is None


def listed(side):
    """Return the changes that are listed, from above."""
    return sorted((one for one in side.findChildren(HistoryEntry) if one.isVisible()), key=lambda one: one.y())


def test_the_history_is_read_when_somebody_looks(pilot):
    """Nobody waits for it on another desk."""
    desk = pilot.window.layouts
    assert desk.side.changes == [] and not listed(desk.side)
    desk = open_plan(pilot)
    pilot.wait(lambda: len(desk.side.changes) == 3, "three changes of the demo")
    before = desk.side.changes
    pilot.key("3")
    pilot.pick_kind(0x1A0)
    assert desk.side.changes is before
    pilot.key("4")
    pilot.wait(lambda: desk.side.changes is not before, "the history of the other")
    assert len(listed(desk.side)) == len(desk.side.changes)


def test_changes_are_kept_under_the_name_one_gives(pilot):
    desk = open_plan(pilot)
    pilot.type(desk.side.author, "second watch", enter=True)
    pilot.click(desk.plan.column.cards[field_of(pilot, "rate").id])
    pilot.type(desk.plan.column.form.lines["unit"], "°/s", enter=True)
    pilot.wait(lambda: desk.side.changes[0].revision.author == "second watch", "the name in the history")
    pilot.type(desk.side.author, "", enter=True)
    assert pilot.session.edits.line.author == engine.default_author()


def kind_of_meter(pilot):
    reading = pilot.session.reading
    return next(kind for kind in reading.kinds_read() if reading.name(kind) == "Shore meter")


def test_a_layout_begun_for_a_poll_is_a_map_of_its_device(pilot):
    session, kind = pilot.session, kind_of_meter(pilot)
    meter = session.edits.layout(session.reading.layout_of(kind).id)
    elsewhere = msgspec.structs.replace(meter.registers, device=9)
    session.edits.change(msgspec.structs.replace(meter, registers=elsewhere))
    pilot.key("4")
    session.in_hand.take_kind(kind)
    pilot.settle()
    desk = pilot.window.layouts
    pilot.click(desk.start.begin)
    begun = session.edits.layout(session.reading.layout_of(kind).id)
    assert begun.name == "Unit 1 input registers" and begun.fields == ()
    assert (begun.registers.device, begun.registers.space.value, begun.applies.address) == (1, "input", None)
    pilot.settle()
    assert desk.hand.whole.id == begun.id


def test_places_of_registers_are_told_as_registers(pilot):
    session, kind = pilot.session, kind_of_meter(pilot)
    session.in_hand.take_kind(kind)
    pilot.key("4")
    pilot.settle()
    desk = pilot.window.layouts
    field = session.reading.layout_of(kind).field_named("voltage 2")
    pilot.click(desk.plan.column.cards[field.id])
    line = desk.plan.column.form.lines["places"]
    assert line.text() == "R1" and desk.plan.column.cards[field.id].texts()[1].startswith("R1  unsigned")


def test_what_was_seen_of_names_is_told_in_words(pilot):
    desk = open_plan(pilot, 0x1A0)
    said = [line.words for line in told_lines(desk.tried)]
    assert "enabled, always yes, in every frame" in said and "mode, 0 … 3, in every frame" in said
    pilot.pick_kind(FEEDBACK)
    assert "limited, no, yes, in every frame" in [line.words for line in told_lines(desk.tried)]
