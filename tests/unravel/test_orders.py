"""Known values in received bytes: every order that was packed is found, and what is found is true."""

from __future__ import annotations

import struct
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.unravel.orders import orders_that_give, parse_received


@pytest.mark.parametrize(
    ("text", "data"),
    [
        ("12 34 AB", "1234ab"), ("1234ab", "1234ab"), ("12:34:AB", "1234ab"), ("0x1234, 7", "12340007"),
        ("4660, -1", "1234ffff"), ("0x12 0x34", "1234"), ("300", "012c"), ("1234 5678", "12345678"),
    ],
)  # fmt: skip
def test_bytes_and_words_are_read_as_pasted(text, data):
    assert parse_received(text).hex() == data


@pytest.mark.parametrize("text", ["", "zz", "0x12345", "70000", ", ".join(["1"] * 40)])
def test_what_is_neither_says_so(text):
    with pytest.raises(MisuseError):
        parse_received(text)


def packed(value: float, order: str) -> bytes:
    """Pack a single-precision value by hand in one of the four customary orders."""
    a, b, c, d = struct.pack(">f", value)
    return bytes({"abcd": (a, b, c, d), "dcba": (d, c, b, a), "cdab": (c, d, a, b), "badc": (b, a, d, c)}[order])


@pytest.mark.parametrize(
    ("order", "words"),
    [
        ("abcd", "high byte first"), ("dcba", "low byte first"), ("cdab", "low word first, high byte first in each"),
        ("badc", "high word first, low byte first in each"),
    ],
)  # fmt: skip
def test_each_order_of_a_float_comes_first(order, words):
    found = orders_that_give(Fraction("231.37"), b"\x01" + packed(231.37, order) + b"\x7f")
    assert (found[0].kind, found[0].words, found[0].places.size_needed) == (FieldKind.FLOAT, words, 5)


@pytest.mark.parametrize(
    ("value", "data", "kind", "ratio"),
    [
        ("-1234", "2efb", FieldKind.SIGNED, "1"), ("23.04", "0900", FieldKind.UNSIGNED, "0.01"),
        ("1999", "1999", FieldKind.BCD, "1"), ("12300", "7b00", FieldKind.UNSIGNED, "100"),
    ],
)  # fmt: skip
def test_whole_numbers_with_their_decimal_scale(value, data, kind, ratio):
    found = orders_that_give(Fraction(value), bytes.fromhex(data))
    assert (found[0].kind, found[0].ratio) == (kind, Fraction(ratio))


@given(st.binary(min_size=1, max_size=6), st.integers(-300, 70_000))
@settings(max_examples=40)
def test_all_that_is_found_gives_the_value_when_decoded(data, value):
    for order in orders_that_give(Fraction(value), data)[:20]:
        field = new_field("x", order.places, order.kind, ratio=order.ratio, inverted=order.inverted)
        layout = new_layout("m", Applies(address=1), len(data), [field])
        matrix = np.frombuffer(data.ljust(8, b"\0"), np.uint8)[None, :]
        read = float(decode(compile_layout(layout), matrix, np.array([len(data)])).named("x").value[0])
        assert read == pytest.approx(value, rel=2e-3)
