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


DATA = bytes.fromhex("9d36c8f1a4527be3")
"""Eight bytes of which none is another turned round."""
_ORDERS = [
    # places of the bytes from the most significant, in words
    ([3], "one byte"), ([2, 3], "high byte first"), ([3, 2], "low byte first"), ([0, 1, 2], "high byte first"),
    ([1, 2, 3, 4], "high byte first"), ([4, 3, 2, 1], "low byte first"),
    ([3, 4, 1, 2], "low word first, high byte first in each"),
    ([2, 1, 4, 3], "high word first, low byte first in each"),
    ([4, 5, 2, 3, 0, 1], "low word first, high byte first in each"),
    (list(range(8)), "high byte first"), (list(range(7, -1, -1)), "low byte first"),
    ([6, 7, 4, 5, 2, 3, 0, 1], "low word first, high byte first in each"),
    ([1, 0, 3, 2, 5, 4, 7, 6], "high word first, low byte first in each"),
    ([4, 5, 6, 7, 0, 1, 2, 3], "low half first, high byte first in each"),
]  # fmt: skip


def bits_in(order, *, reversed_bits=False):
    """Return the bits of bytes as text, the most significant byte first."""
    texts = [f"{DATA[byte]:08b}" for byte in order]
    return "".join(text[::-1] if reversed_bits else text for text in texts)


def offered(value, kind, words, **settings):
    found = orders_that_give(Fraction(value), DATA)
    wanted = {"ratio": 1, "inverted": False, **settings}
    return [one for one in found if one.kind is kind and one.words == words
            and all(getattr(one, name) == value_ for name, value_ in wanted.items())]  # fmt: skip


@pytest.mark.parametrize(("order", "words"), _ORDERS)
def test_every_order_of_bytes_is_offered_for_every_kind(order, words):
    text = bits_in(order)
    width, raw = len(text), int(text, 2)
    top = 1 << width - 1
    values = {FieldKind.UNSIGNED: raw, FieldKind.GRAY: gray_by_hand(text)}
    if raw & top:
        values |= {
            FieldKind.SIGNED: raw - 2 * top, FieldKind.SIGN_MAGNITUDE: -(raw - top),
            FieldKind.ONES_COMPLEMENT: -(2 * top - 1 - raw),
        }  # fmt: skip
    for kind, value in values.items():
        (one,) = [one for one in offered(value, kind, words) if len(one.places) == width]
        assert [bit // 8 for bit in one.places.bits[::8]] == order
    assert len([one for one in offered(2 * top - 1 - raw, FieldKind.UNSIGNED, words, inverted=True)
                if len(one.places) == width]) == 1  # fmt: skip
    mirrored = f"{words}, bits of each byte reversed"
    (one,) = offered(int(bits_in(order, reversed_bits=True), 2), FieldKind.UNSIGNED, mirrored)
    assert [bit // 8 for bit in one.places.bits[::8]] == order and one.places.bits[:3] == tuple(
        order[0] * 8 + bit for bit in range(3)
    )  # fmt: skip


def gray_by_hand(text):
    """Read Gray code as Gray did: each bit is the one before it turned round or not."""
    made, last = "", "0"
    for bit in text:
        last = str(int(last != bit))
        made += last
    return int(made, 2)


@pytest.mark.parametrize(
    ("first", "width", "order"), [(3, 7, "low"), (3, 7, "high"), (8, 12, "low"), (13, 32, "high"), (1, 3, "low")]
)
def test_runs_of_bits_in_both_orders_are_offered(first, width, order):
    if order == "low":
        bits = list(range(first + width - 1, first - 1, -1))
    else:
        bits = [byte * 8 + 7 - bit for byte, bit in (divmod(number, 8) for number in range(first, first + width))]
    raw = int("".join(str(DATA[bit // 8] >> bit % 8 & 1) for bit in bits), 2)
    found = orders_that_give(Fraction(raw), DATA)
    assert tuple(bits) in [one.places.bits for one in found if one.words == f"a run of bits, {order} byte first"]


@pytest.mark.parametrize("power", range(-3, 4))
def test_decimal_scales_of_a_thousand_either_way_are_offered(power):
    raw, ratio = int(bits_in([1, 2]), 2), Fraction(10) ** power
    assert len(offered(raw * ratio, FieldKind.UNSIGNED, "high byte first", ratio=ratio)) == 1
    assert not offered(raw * ratio * 10_000, FieldKind.UNSIGNED, "high byte first", ratio=ratio)


def test_half_single_and_double_floats_are_offered_within_a_thousandth():
    for size, form in ((2, ">e"), (4, ">f"), (8, ">d")):
        data = struct.pack(form, 20.5)
        for value, there in ((20.5, True), (20.5 * 1.0009, True), (20.5 * 1.0011, False)):
            found = orders_that_give(Fraction(value), data)
            assert any(one.kind is FieldKind.FLOAT and len(one.places) == 8 * size for one in found) == there


def test_decimal_digits_are_offered_where_none_is_above_nine():
    found = orders_that_give(Fraction(1234), b"\x12\x34")
    assert [(one.words, one.places.bits[0]) for one in found if one.kind is FieldKind.BCD] == [("high byte first", 7)]
    assert not any(one.kind is FieldKind.BCD for one in orders_that_give(Fraction(1240), b"\x12\x3a"))


def test_more_than_64_bytes_are_not_searched_and_words_may_have_a_sign():
    assert len(parse_received(", ".join(["1"] * 32))) == 64 and len(parse_received("00" * 64)) == 64
    for text in (", ".join(["1"] * 33), "00 " * 65, "12" * 66):
        with pytest.raises(MisuseError, match=r"6[56] bytes are more than the 64 that are searched"):
            parse_received(text)
    for text in ("-32769", "65536"):
        with pytest.raises(MisuseError, match=f"'{text}' does not fit a 16-bit word"):
            parse_received(text)
    assert parse_received("-32768 65535").hex() == "8000ffff" and parse_received("0xff 0x0ff").hex() == "ff00ff"
