"""The Layouts desk beyond fixed fields: parts that move, register ladders, checks, ties, when a layout applies."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QComboBox

from tests.captures.test_text_lines import sentence
from tests.desk.pilot import place_of
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.layouts.model import RawSet
from zesty_abacus.core.trial.trial import Trial
from zesty_abacus.desk.app import engine


def kind_named(pilot, name, number=0):
    found = [n for n in pilot.session.reading.kinds_read() if pilot.session.reading.name(n) == name]
    return found[number]


def open_message(pilot, name, number=0):
    pilot.key("4")
    pilot.session.in_hand.take_kind(kind_named(pilot, name, number))
    pilot.settle()
    return pilot.window.layouts


def whole(pilot, name):
    return next(layout for layout in pilot.session.edits.layouts() if layout.name == name)


def test_a_register_map_is_a_ladder_and_an_edit_keeps_the_whole_map(pilot):
    desk = open_message(pilot, "Bilge sensor", 1)
    pilot.session.clock.set_cursor(pilot.session.capture.end_ns)
    pilot.settle()
    ladder = desk.plan.pictures.ladder
    assert desk.plan.pictures.shown == 2
    seen = {rung.field.name: rung.seen for rung in ladder.rungs if rung.field is not None}
    assert seen == {"level": True, "water heat": True, "damping": False, "low alarm": False, "high alarm": False}
    number = next(n for n, rung in enumerate(ladder.rungs) if rung.field is not None and rung.field.name == "damping")
    pilot.click(ladder, ladder.rung_rect(number).center().toPoint())
    assert desk.plan.column.form.lines["name"].text() == "damping"
    pilot.type(desk.plan.column.form.lines["unit"], "ms", enter=True)
    kept = whole(pilot, "Bilge sensor")
    assert kept.field_named("damping").unit == "ms" and len(kept.fields) == 5 and kept.registers.window is None
    assert str(kept.field_named("level").places) == "B16 B17"
    # what lies on the ladder is the device's state at the cursor, from all exchanges before it
    assert ladder._now.fields[kept.field_named("high alarm").id] == "150 mm"


def test_a_new_field_of_a_map_goes_to_the_first_free_register(pilot):
    desk = open_message(pilot, "Bilge sensor", 1)
    pilot.click(desk.add)
    made = whole(pilot, "Bilge sensor").fields
    assert len(made) == 6 and any(str(field.places) == "B0" for field in made)
    assert desk.plan.column.form.lines["places"].text() == "B0"


def test_the_frame_at_the_cursor_flows_and_a_byte_opens_its_card(pilot):
    desk = open_message(pilot, "Beacon packet")
    pilot.session.clock.set_cursor(pilot.session.capture.end_ns)
    pilot.settle()
    flow, plan = desk.plan.pictures.flow, desk.plan
    assert plan.pictures.shown == 1 and flow._payload[:3] == b"YZ7"
    pilot.click(flow, flow.cell_rect(5).center().toPoint())
    layout = whole(pilot, "Beacon packet")
    assert plan.current == layout.field_named("north").id
    # a field within a case of the list of extras
    heat = next(field for field in layout.all_fields() if field.name == "heat")
    plan.pick(heat.id)
    pilot.type(plan.column.form.lines["high"], "50", enter=True)
    assert next(f for f in whole(pilot, "Beacon packet").all_fields() if f.id == heat.id).high == 50
    plan.setFocus()
    pilot.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert whole(pilot, "Beacon packet") == layout


def test_what_is_dropped_in_is_edited_line_by_line(pilot):
    desk = open_message(pilot, "Azimuth feedback port")
    template = next(one for one in engine.TEMPLATES if one.name.startswith("Exclusive"))
    before = whole(pilot, "Azimuth feedback port")
    assert desk.hand.drop(template)
    pilot.settle()
    made = whole(pilot, "Azimuth feedback port")
    check = made.checks[-1]
    assert desk.plan.current == check.id and desk.plan.column.item_form.isVisible()
    entries = desk.plan.column.item_form.entries
    pilot.type(entries["coverage.end"], "lode + 1", enter=True)
    assert "There is no number called lode" in desk.plan.column.item_form.problem.text()
    assert whole(pilot, "Azimuth feedback port") == made, "a wrong entry changes nothing"
    pilot.type(entries["coverage.end"], "2 +", enter=True)
    assert "stops making sense" in desk.plan.column.item_form.problem.text()
    pilot.type(entries["coverage.end"], "2", enter=True)
    assert str(whole(pilot, "Azimuth feedback port").checks[-1].coverage.end) == "2"
    pilot.wait(lambda: any("exclusive or" in words for words, _, _ in desk.tried.remarks()), "the check to be tried")
    words, wrong, first = next(remark for remark in desk.tried.remarks() if "exclusive or" in remark[0])
    assert wrong and first is not None and "agrees in" in words
    place = next(n for n, remark in enumerate(desk.tried.remarks()) if remark[0] == words)
    pilot.click(desk.tried, desk.tried.remark_rect(place).center().toPoint())
    assert pilot.session.clock.cursor_ns == first
    pilot.click(desk.remove)
    assert whole(pilot, "Azimuth feedback port") == before


def test_a_part_grows_from_its_card(pilot):
    desk = open_message(pilot, "Load cell command")
    assert desk.hand.drop(next(one for one in engine.TEMPLATES if one.name == "Array"))
    part = whole(pilot, "Load cell command").parts[0]
    pilot.click(desk.plan.column.item_form.grow)
    grown = whole(pilot, "Load cell command").parts[0]
    assert len(grown.fields) == len(part.fields) + 1 and grown.size == 2
    names = [card.accessibleName() for card in desk.plan.column.cards.values()]
    assert "Part items" in names and f"Field {grown.fields[1].name}" in names


def test_checks_and_values_are_dropped_into_the_array_whose_card_is_open(pilot):
    desk = open_message(pilot, "Load cell command")
    assert desk.hand.drop(next(one for one in engine.TEMPLATES if one.name == "Array"))
    pilot.click(desk.plan.column.item_form.grow)
    layout = whole(pilot, "Load cell command")
    for name in ("Sum over the bytes before", "Computed value"):
        desk.plan.pick(layout.parts[0].id)
        assert desk.hand.drop(next(one for one in engine.TEMPLATES if one.name == name))
        pilot.settle()
    (part,) = whole(pilot, "Load cell command").parts
    assert [check.words() for check in part.checks] == ["sum"] and len(part.computed) == 1
    assert (layout.checks, layout.computed) == (whole(pilot, "Load cell command").checks, ())
    assert desk.plan.current == part.computed[0].id, "the new card is open"
    names = [card.accessibleName() for card in desk.plan.column.cards.values()]
    assert any("sum check" in name for name in names)
    # with another card open, or none, they are of the message
    desk.plan.pick(None)
    assert desk.hand.drop(next(one for one in engine.TEMPLATES if one.name == "Rule"))
    assert whole(pilot, "Load cell command").checks[-1].words() == "rule"


def test_a_template_without_a_place_says_why(pilot):
    desk = open_message(pilot, "Load cell command")
    template = next(one for one in engine.TEMPLATES if one.name == "Complement of another field")
    assert not desk.hand.drop(template)
    assert "needs two fields" in pilot.window.foot.told.text()


def test_checks_say_how_often_they_agree(pilot):
    desk = open_message(pilot, "Azimuth feedback port")
    pilot.wait(lambda: len(desk.tried.remarks()) == 3, "both checks and the explained share")
    explained, *checks = [words for words, _, _ in desk.tried.remarks()]
    assert explained.startswith("claims ") and "moving bits (100%)" in explained
    assert checks == [
        "turn counter agrees in 12\u2009000 of 12\u2009000 frames", "check agrees in 12\u2009000 of 12\u2009000 frames",
    ]  # fmt: skip


def test_a_message_is_tied_by_hand_and_untied(pilot):
    session = pilot.session
    pilot.key("4")
    kind = next(n for n, key in enumerate(session.capture.kinds.keys) if key.address == 0x2D0)
    session.in_hand.take_kind(kind)
    pilot.settle()
    assert session.reading.layout_of(kind) is None and not session.ties.is_tied(session.in_hand.kind)
    layout = whole(pilot, "Pod status")
    assert layout in session.ties.possible(kind)
    session.ties.tie(session.in_hand.kind, layout.id)
    pilot.settle()
    desk = pilot.window.layouts
    assert session.reading.layout_of(kind) == layout and "is tied to it by hand" in desk.message.why.text()
    assert Trial.open(session.trial.folder).file.ties[0].layout == layout.id, "kept with the trial"
    pilot.click(desk.reader.untie)
    assert session.reading.layout_of(kind) is None and not session.trial.file.ties


def test_the_form_says_why_a_layout_reads_the_message(pilot):
    desk = open_message(pilot, "Registers asked for")
    assert "names this way" in desk.message.why.text()
    assert desk.message.choices["way"].currentData() == "request" and desk.message.lines["sizes"].text() == "2"
    assert not desk.message.lines["device"].isVisible()
    desk = open_message(pilot, "Shore meter")
    assert desk.message.lines["device"].text() == "0x01" and not desk.message.lines["pattern"].isVisible()


def test_the_form_says_what_a_map_does_past_its_end(pilot):
    desk = open_message(pilot, "Bilge sensor", 1)
    past_end, advances = (desk.message.choices[name] for name in ("past_end", "advances"))
    assert (past_end.currentText(), advances.currentText()) == ("refuses", "goes on to the next register")
    past_end.setFocus()
    past_end.setCurrentIndex(past_end.findText("goes on with the first"))
    past_end.activated.emit(past_end.currentIndex())
    pilot.settle()
    assert whole(pilot, "Bilge sensor").registers.past_end.value == "wrap"
    advances.setCurrentIndex(advances.findText("stays on its register"))
    advances.activated.emit(advances.currentIndex())
    pilot.settle()
    kept = whole(pilot, "Bilge sensor").registers
    assert (kept.past_end.value, kept.advances, kept.device) == ("wrap", False, 0x5A)
    desk = open_message(pilot, "Shore meter")
    assert past_end.isVisible() and not advances.isVisible(), "Modbus always goes on"


def test_a_span_of_addresses_is_typed(pilot):
    desk = open_message(pilot, "Azimuth feedback port")
    pilot.type(desk.message.lines["address"], "0x1A0..0x1A1", enter=True)
    assert whole(pilot, "Azimuth feedback port").applies.to == 0x1A1
    pilot.type(desk.message.lines["sizes"], "8, x", enter=True)
    assert "neither a raw value" in desk.message.problem.text()
    pilot.type(desk.message.lines["sizes"], "8", enter=True)
    assert whole(pilot, "Azimuth feedback port").applies.sizes == RawSet.of(8)
    pilot.type(desk.message.lines["pattern"], "0", enter=True)
    assert "pairs such as" in desk.message.problem.text()


def test_a_text_column_is_picked_from_its_letters(pilot):
    desk = open_message(pilot, "Heading sentence")
    pilot.session.clock.set_cursor(pilot.session.capture.end_ns)
    pilot.settle()
    pilot.click(desk.plan.pictures.flow, QPointF(desk.plan.pictures.flow.cell_rect(8).center()).toPoint())
    assert desk.plan.column.form.lines["name"].text() == "heading"


def test_a_second_layout_reads_frames_that_begin_otherwise(pilot):
    session, desk = pilot.session, pilot.window.layouts
    pilot.key("4")
    kind = pilot.kind(0x320)
    session.in_hand.take_kind(kind)
    pilot.settle()
    assert desk.reader.which.isHidden()
    first = session.reading.layout_of(kind)
    payload = session.store.frame_at(kind, None, session.clock.cursor_ns).payload
    desk.hand.begin_another()
    pilot.settle()
    assert desk.reader.which.isVisible() and desk.reader.which.count() == 2
    mine = session.reading.layout_of(kind)
    offered = {desk.reader.which.itemText(row): desk.reader.which.itemData(row) for row in range(2)}
    assert offered == {first.name: first.id, mine.name: mine.id}
    assert mine.applies.pattern == f"{payload[0]:02X}" and desk.message.lines["name"].hasFocus()
    frames = session.capture.kind_frames(kind)
    numbers = session.reading.meaning.numbers(kind, frames)
    begins = frames.matrix[:, 0] == payload[0]
    readers = session.reading.readers(kind)
    assert [readers[n].layout.id for n in set(numbers[begins].tolist())] == [mine.id]
    assert [readers[n].layout.id for n in set(numbers[~begins].tolist())] == [first.id]
    desk.reader.which.setCurrentIndex(desk.reader.which.findData(first.id))
    desk.reader.which.activated.emit(desk.reader.which.currentIndex())
    pilot.settle()
    assert session.reading.layout_of(kind) == first and desk.head.title.text() == first.name


def test_frames_that_nobody_reads_say_so(pilot):
    session = pilot.session
    kind = pilot.kind(0x320)
    layout = session.reading.layout_of(kind)
    frames = session.capture.kind_frames(kind)
    wanted = int(frames.matrix[0, 0])
    session.edits.change(msgspec.structs.replace(
        layout, applies=msgspec.structs.replace(layout.applies, pattern=f"{wanted:02X}")
    ))  # fmt: skip
    pilot.settle()
    other = int(frames.rows[int((frames.matrix[:, 0] != wanted).argmax())])
    line = pilot.window.read.frames.line(place_of(pilot.window.read.frames, other))
    assert line.says == "no layout reads this frame" and not line.named
    assert pilot.window.read.frames.line(place_of(pilot.window.read.frames, int(frames.rows[0]))).says != line.says


def template(name):
    return next(one for one in engine.TEMPLATES if one.name.startswith(name))


def test_text_columns_are_read_off_the_frames(empty, tmp_path):
    rows = [f"{row / 2 - 20:+06.1f};{('haul', 'veer', 'hold')[row % 3]};{row % 10}" for row in range(80)]
    text = "".join(f"({row}.0) can0 300##1{line.encode().hex().upper()}\n" for row, line in enumerate(rows))
    (tmp_path / "lines.log").write_text(text)
    desk = empty.begin_layout(tmp_path / "lines.log")
    assert desk.hand.drop(template("Text columns"))
    empty.settle()
    (line,) = empty.session.reading.layout_of(0).parts
    assert (line.separator, [field.kind.value for field in line.columns]) == (";", ["signed", "text", "unsigned"])
    assert desk.plan.current == line.id, "its card is open"
    at = empty.session.store.frame_at(0, desk.hand.shown, empty.session.clock.cursor_ns)
    said = rows[at.number].split(";")
    columns = [at.decoded.columns[field.id] for field in line.columns]
    assert (float(columns[0].value[0]), columns[1].text_of(0)) == (float(said[0]), said[1])


def test_a_sentence_begins_with_its_columns(empty, tmp_path):
    path = tmp_path / "gyro.txt"
    rows = [f"YXHDT,{100 + row / 4:.2f},T" for row in range(60)]
    path.write_text("".join(f"08:00:{row:02}.500 {sentence(words)}\n" for row, words in enumerate(rows)))
    empty.session.trials.open_paths([path])
    empty.wait(lambda: empty.session.capture is not None, "the recording")
    empty.settle()
    empty.key("U", Qt.KeyboardModifier.ShiftModifier)
    empty.wait(lambda: empty.session.capture.lanes[0].protocol == "sentence", "a lane of sentences")
    empty.key("4")
    empty.session.in_hand.take_kind(0)
    empty.settle()
    empty.click(empty.window.layouts.start.begin)
    empty.settle()
    layout = empty.session.reading.layout_of(0)
    line, behind = layout.parts
    assert [field.kind.value for field in line.columns] == ["text", "unsigned", "text"] and line.ends == "*"
    assert [one.name for one in layout.all_checks()] == ["check of the line"] and len(behind.columns) == 1
    at = empty.session.store.frame_at(0, layout, empty.session.clock.cursor_ns)
    heading = at.decoded.columns[line.columns[1].id]
    assert float(heading.value[0]) == 100 + at.number / 4
    (check,) = at.decoded.checks.values()
    assert check.state[0] == CheckState.AGREES


def test_the_fields_a_check_may_lie_in_are_those_there_are_now(pilot):
    desk = open_message(pilot, "Azimuth feedback port")
    assert desk.hand.drop(template("Sum over")), pilot.window.foot.told.text()
    pilot.settle()
    form = desk.plan.column.item_form
    boxes = [one for one in form.entries.values() if isinstance(one, QComboBox) and one.findText("check") >= 0]
    assert boxes, "it names a field"
    before = {boxes[0].itemText(place) for place in range(boxes[0].count())}
    layout = whole(pilot, "Azimuth feedback port")
    desk.hand.keep(layout.with_field(engine.new_field("spare", engine.parse_places("B5[5]"))))
    pilot.settle()
    now = {boxes[0].itemText(place) for place in range(boxes[0].count())}
    assert now == before | {"spare"} and boxes[0].currentText() in before


def test_every_part_says_what_it_is_and_how_much_in_words(pilot):
    desk = open_message(pilot, "Azimuth command port")
    for template in engine.TEMPLATES:
        desk.hand.drop(template)
        pilot.settle()
    shown = {name: card.texts()[1:] for card in desk.plan.column.cards.values() if (name := card.texts()[0])}
    assert shown["items"] == ("array to the end", "", "1 byte an item")
    assert shown["if enabled"] == ("optional part, when enabled = 1", "", "1 byte")
    assert shown["elements"] == ("type and length list", "", "")
    assert shown["numbers"] == ("array of 12-bit numbers", "", "")
    assert not [text for texts in shown.values() for text in texts if "(" in text and "=" in text]


def test_choices_are_told_in_words_and_kept_as_files_write_them(pilot):
    desk = open_message(pilot, "Azimuth command port")
    array = next(one for one in engine.TEMPLATES if one.name == "Array")
    desk.hand.drop(array)
    pilot.settle()
    repeat = desk.plan.column.item_form.entries["repeat"]
    assert [repeat.itemText(n) for n in range(repeat.count())] == [
        "once", "so many times", "in so many bytes", "to the end", "until an end",
    ]  # fmt: skip
    assert repeat.currentText() == "to the end"
    repeat.setCurrentIndex(repeat.findText("once"))
    repeat.activated.emit(repeat.currentIndex())
    pilot.settle()
    assert whole(pilot, "Azimuth command port").parts[-1].repeat.value == "once" and repeat.currentText() == "once"
    repeat.setCurrentIndex(repeat.findText("until an end"))
    repeat.activated.emit(repeat.currentIndex())
    pilot.settle()
    entries = desk.plan.column.item_form.entries
    assert whole(pilot, "Azimuth command port").parts[-1].repeat.value == "until" and entries["end"].text() == "00"
