"""Code tables that are worked out of known texts: the one they were written by, or the sentence why there is none."""

from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import Applies, FieldKind, TextLine, new_field, new_layout
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.symbols import SymbolCode, shortest_code
from zesty_abacus.core.unravel.code_tables import KnownText, NoCodeTableError, bits_of_text, derived_code


def bits_of(symbols, text):
    return "".join(next(one.bits for one in symbols if one.text == character) for character in text)


@settings(max_examples=40)
@given(st.lists(st.text("abcdefgh", min_size=1, max_size=12), min_size=1, max_size=5), st.integers(0, 7))
def test_a_table_that_is_found_says_all_that_is_known(texts, filling):
    symbols = shortest_code("aaaabbbccdefgh")
    known = [KnownText(bits_of(symbols, text) + "0" * filling, text) for text in texts]
    made = SymbolCode(derived_code(known).symbols)
    assert all(made.read(one.bits).startswith(one.text) for one in known)


def test_enough_texts_leave_one_table():
    symbols = shortest_code("anchor chain on deck")
    words = ("a", "an", "n", "anchor", "chain", "on deck", "deck on", "c", "d", "chain on", "rock", "kna", "doch", "e")
    found = derived_code([KnownText(bits_of(symbols, word), word) for word in words])
    assert {(one.bits, one.text) for one in found.symbols} == {(one.bits, one.text) for one in symbols if one.text}
    assert not found.unsure


@pytest.mark.parametrize("behind", ["0", "1"])
def test_texts_with_an_end_and_filling_behind_it_are_read(behind):
    symbols = shortest_code("anchor chain on deck")
    end = next(one.bits for one in symbols if not one.text)
    words = ("deck", "an", "no", "can", "anchor", "chain", "on deck", "rock", "a", "kna", "e", "or", "h")
    known = [KnownText((bits_of(symbols, word) + end).ljust(96, behind), word) for word in words]
    found = derived_code(known)
    assert [SymbolCode(found.symbols).read(one.bits) for one in known] == list(words)
    assert any(not one.text for one in found.symbols), "the end is in the table"


def test_what_is_not_told_apart_yet_is_said():
    found = derived_code([KnownText("0110", "ab")])
    assert found.unsure, "0 and 110, 01 and 10: one text does not tell"


def test_texts_that_no_table_says_are_told():
    with pytest.raises(NoCodeTableError, match="no code table says"):
        derived_code([KnownText("01", "ab"), KnownText("0", "b")])
    with pytest.raises(NoCodeTableError, match="no text"):
        derived_code([KnownText("0101", "")])
    with pytest.raises(NoCodeTableError, match="too much"):
        derived_code([KnownText("01100111" * 12, "abcdefghijklmnopqrstuvwx")])


def zeros_and_one(count):
    """Return the texts a, b, c ... whose symbols are 1, 01, 001 ..., and an end of so many zeros that none begins."""
    symbols = {chr(ord("a") + zeros): "0" * zeros + "1" for zeros in range(count)}
    known = [KnownText((bits + "0" * count).ljust(40, "0"), letter) for letter, bits in symbols.items()]
    return known, {**symbols, "": "0" * count}


@pytest.mark.parametrize("count", [1, 2, 5])
def test_an_end_of_up_to_five_bits_like_the_filling_is_found(count):
    known, symbols = zeros_and_one(count)
    assert {one.text: one.bits for one in derived_code(known).symbols} == symbols


def test_an_end_of_more_bits_like_the_filling_is_not_looked_for():
    with pytest.raises(NoCodeTableError, match="no code table says"):
        derived_code(zeros_and_one(6)[0])


def test_the_bits_of_a_text_are_taken_as_they_are_read():
    """Of a field with places by these, of one that moves by what the frame's layout reads."""
    fixed = new_field("name", at("B0[7..4] B1"), FieldKind.TEXT, inverted=True)
    assert bits_of_text(fixed, bytes([0xA5, 0x3C]), None) == "010111000011"
    assert bits_of_text(fixed, b"\xa5", None) == "", "the frame ends before it"
    moved = new_field("note", Places(()), FieldKind.TEXT)
    number = new_field("count", Places(()))
    columns = (moved, number, new_field("end", Places(()), FieldKind.TEXT))
    line = TextLine(id=uuid4(), name="line", columns=columns)
    layout = new_layout("Line", Applies(protocol="serial"), 0, parts=[line])
    payload = b"AB,12,"
    matrix = np.frombuffer(payload.ljust(16, b"\0"), np.uint8)[None, :]
    decoded = decode(compile_layout(layout), matrix, np.array([len(payload)], np.uint32))
    assert bits_of_text(moved, payload, decoded) == "0100000101000010"
    assert bits_of_text(columns[2], payload, decoded) == "", "nothing stands in it"
    assert bits_of_text(number, payload, decoded) == "", "a number is no text"
    assert bits_of_text(moved, payload, None) == ""
