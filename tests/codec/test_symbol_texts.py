"""Texts of symbols: in bits that are no whole bytes, in runs, in packed characters; and in forms that know none."""

from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.codec.test_decode import decode_one
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.exchange.registry import layout_formats
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import Applies, FieldKind, Run, TextLine, new_field, new_layout
from zesty_abacus.core.layouts.places import Places, parse_places
from zesty_abacus.core.layouts.symbols import parse_symbols, shortest_code
from zesty_abacus.core.layouts.validate import check_layout

WORDS = parse_symbols("0 a, 10 b, 110 c, 111 end")
STATION = new_field("station", parse_places("B1[4..0] B2"), FieldKind.TEXT, symbols=WORDS)


def one_message(field, size=4):
    return new_layout("note", Applies(address=1), size, [field])


def test_bits_of_a_text_need_be_no_whole_bytes():
    # 0x16 is 000 10110, of which the last five bits belong to it: 10 110 11111111, which is b, c and the end
    assert decode_one(STATION, bytes.fromhex("FF16FF")).text_of(0) == "bc"
    # 01000 11100000: a, b, a, a, the end
    assert decode_one(STATION, bytes.fromhex("FFE8E0")).text_of(0) == "abaa"


@given(st.text("abc", max_size=6))
def test_what_is_written_is_read_and_bits_beside_it_stay(text):
    layout = one_message(STATION, 3)
    bits = "".join({"a": "0", "b": "10", "c": "110"}[one] for one in text)
    if len(bits) > 13:
        with pytest.raises(EncodeError, match="do not fit: it holds 13"):
            encode_message(layout, {"station": text})
        return
    payload = encode_message(layout, {"station": text}, b"\xa5\xe0\x00").payload
    assert payload[0] == 0xA5 and payload[1] & 0xE0 == 0xE0
    assert decode_one(STATION, payload).text_of(0) == text
    assert f"{payload[1] & 0x1F:05b}{payload[2]:08b}".startswith(bits)


@given(st.text("anchor deck", max_size=30), st.binary(max_size=3))
def test_a_run_of_symbols_goes_both_ways_and_says_its_length(text, behind):
    run = Run(id=uuid4(), name="note", field=new_field("note", Places(()), FieldKind.TEXT, padding="",
                                                     symbols=shortest_code("anchor on deck")))  # fmt: skip
    layout = new_layout("note", Applies(address=1), 0, parts=[run])
    assert not check_layout(layout)
    payload = encode_message(layout, {"note": text}).payload
    matrix = np.zeros((1, 64), np.uint8)
    matrix[0, : len(payload) + len(behind)] = np.frombuffer(payload + behind, np.uint8)
    sizes = np.array([len(payload) + len(behind)], np.uint32)
    assert decode(compile_layout(layout), matrix, sizes)[run.field.id].text_of(0) == text


def test_packed_characters_are_read_across_bytes():
    # ITU-R M.1371: T 20, U 21, G 7, @ 0 fills up; 010100 010101 000111 000000
    field = new_field("name", parse_places("B0 B1 B2"), FieldKind.TEXT, encoding="six-bit", padding="@")
    assert decode_one(field, bytes.fromhex("5151C0")).text_of(0) == "TUG"
    assert encode_message(one_message(field), {"name": "TUG"}).payload[:3].hex() == "5151c0"
    seven = new_field("name", parse_places("B0[7..2] B1 B2"), FieldKind.TEXT, encoding="seven-bit")
    assert check_layout(one_message(seven)) == [] and decode_one(seven, bytes([0, 0, 0])).text_of(0) == ""


def test_turned_bits_are_turned_first():
    turned = new_field("station", parse_places("B0"), FieldKind.TEXT, symbols=WORDS, inverted=True)
    assert decode_one(turned, bytes([0b01001000])).text_of(0) == "bc"
    assert encode_message(one_message(turned, 1), {"station": "bc"}).payload == bytes([0b01001000])


@pytest.mark.parametrize(("settings", "sentence"), [
    ({"symbols": parse_symbols("0 a, 01 b")}, "begins 01"),
    ({"symbols": WORDS, "kind": FieldKind.BYTES}, "a code table is for text"),
    ({"encoding": "five-bit"}, "is not one of ascii"),
    ({}, "text takes whole bytes"),
])  # fmt: skip
def test_tables_that_cannot_be_are_told(settings, sentence):
    field = new_field("station", STATION.places, settings.pop("kind", FieldKind.TEXT), **settings)
    assert any(sentence in problem.sentence for problem in check_layout(one_message(field)))


def test_a_column_of_text_has_no_code_table():
    column = new_field("station", Places(()), FieldKind.TEXT, symbols=WORDS)
    layout = new_layout("line", Applies(address=1), 0, parts=[TextLine(id=uuid4(), name="line", columns=(column,))])
    assert any("a code table is for bits" in problem.sentence for problem in check_layout(layout))


def test_a_table_is_kept_in_a_file():
    layout = one_message(STATION)
    again = layout_from_json(layout_to_json(layout))
    assert again == layout and again.fields[0].symbols[-1].text == ""


@pytest.mark.parametrize("name", [one.word for one in layout_formats() if one.write is not None])
def test_forms_without_code_tables_say_that_it_is_lost(name):
    form = next(one for one in layout_formats() if one.word == name)
    field = new_field("station", parse_places("B0 B1"), FieldKind.TEXT, symbols=WORDS)
    layout = new_layout("Note", Applies(address=0x123, lanes=("can",)), 2, fields=(field,))
    try:
        written = form.write([layout])
    except ExchangeError as refused:
        assert "map" in str(refused), "only forms of registers refuse a message"
        return
    told = [left.reason for left in written.left if "Note" in left.place]
    is_said = any("symbol" in reason or "code table" in reason for reason in told)
    assert b"110" in written.data or is_said or (told and b"station" not in written.data)
