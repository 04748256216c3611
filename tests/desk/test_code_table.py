"""A code table is worked out by hand of what frames say, on a recording of one's own, and reads all of them then."""

from __future__ import annotations

import pytest

from zesty_abacus.core.layouts.symbols import SymbolCode, shortest_code, symbols_text

TEXTS = (
    "deck",
    "anchor",
    "chain",
    "on deck",
    "heave",
    "hook on",
    "rock",
    "adrift",
    "check",
    "a",
    "an",
    "kin",
    "ore",
    "of",
)
CODE = SymbolCode(shortest_code("anchor chain on deck heave hook on rock adrift check"))


@pytest.fixture
def message(empty, tmp_path):
    """Return hands on Layouts with a message of eight bytes, whose bits are a text of symbols."""
    rows = []
    for number in range(2 * len(TEXTS)):
        bits = CODE.write(TEXTS[number % len(TEXTS)], 64)
        rows.append(f"({number}.5) can0 300#{int(bits, 2):016X}\n")
    (tmp_path / "words.log").write_text("".join(rows))
    desk = empty.begin_layout(tmp_path / "words.log")
    desk.hand.add_next()
    empty.settle()
    empty.type(desk.plan.column.form.lines["places"], "B0 B1 B2 B3 B4 B5 B6 B7", enter=True)
    return empty


def field_of(hands):
    return hands.session.reading.layout_of(0).fields[0]


def go_to(hands, number):
    order = hands.session.capture.order_of_kind(0)
    hands.session.clock.set_cursor(int(hands.session.capture.frames.at(order.row(number)).time_ns))
    hands.settle()


def test_texts_of_a_few_frames_lead_to_the_table_that_reads_the_others(message):
    desk = message.window.layouts
    desk.find_code()
    helper = desk.codes
    assert helper.isVisible() and not helper.take_button.isEnabled()
    for number in range(len(TEXTS) - 2):
        go_to(message, number)
        assert helper.bits.text().startswith("".join(CODE.write(TEXTS[number], 64))[:20])
        message.type(helper.said, TEXTS[number], enter=True)
    assert helper.take_button.isEnabled(), helper.words.text()
    message.click(helper.take_button)
    assert not helper.isVisible() and desk.message.isVisible()
    field = field_of(message)
    assert field.kind.value == "text" and field.symbols
    # frames that nobody read out are read by it
    go_to(message, len(TEXTS) - 2)
    at = message.session.store.frame_at(0, desk.hand.shown, message.session.clock.cursor_ns)
    assert at.decoded.columns[field.id].text_of(0).startswith("ore")
    assert desk.plan.column.form.lines["symbols"].text() == symbols_text(field.symbols)


def test_a_text_that_cannot_be_is_told_and_one_can_begin_anew(message):
    desk = message.window.layouts
    desk.find_code()
    helper = desk.codes
    go_to(message, 0)
    message.type(helper.said, "d" * 70, enter=True)
    assert "no code table says" in helper.words.text() and not helper.take_button.isEnabled()
    message.click(helper.forget)
    assert not helper.known and "Go to a frame" in helper.words.text()
    message.type(helper.sample, "aaaaabbc", enter=True)
    assert helper.symbols == shortest_code("aaaaabbc") and "takes 2 bytes" in helper.words.text()


def test_a_table_that_is_typed_makes_a_text_of_a_number(message):
    desk = message.window.layouts
    form = desk.plan.column.form
    message.click(form.more)
    message.type(form.lines["symbols"], "0 a, 01 b", enter=True)
    assert "begins 01" in form.problem.text() and field_of(message).kind.value != "text"
    message.type(form.lines["symbols"], "0 a, 10 b, 11 end", enter=True)
    assert field_of(message).kind.value == "text" and len(field_of(message).symbols) == 3
    form.kind.setCurrentIndex(form.kind.findData("bytes"))
    form.kind.activated.emit(form.kind.currentIndex())
    message.settle()
    assert field_of(message).kind.value == "bytes" and not field_of(message).symbols
