"""Checks: published values, a bit-by-bit second CRC, and what a failed check does to values."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import CheckState, Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.wording import frame_sentence
from zesty_abacus.core.layouts.model import (
    AddressKey,
    Applies,
    Carry,
    Complement,
    Counter,
    Coverage,
    Crc,
    Expression,
    FieldKind,
    RawSet,
    Reserved,
    Rule,
    Selected,
    Sum,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

# (width, polynomial, start, final, reflect in, reflect out, value over "123456789"), as published
CATALOGUE = (
    (3, 0x3, 0x0, 0x7, False, False, 0x4),
    (5, 0x05, 0x1F, 0x1F, True, True, 0x19),
    (8, 0x07, 0x00, 0x00, False, False, 0xF4),
    (8, 0x2F, 0xFF, 0xFF, False, False, 0xDF),
    (10, 0x233, 0x000, 0x000, False, False, 0x199),
    (12, 0x80F, 0x000, 0x000, False, True, 0xDAF),
    (15, 0x4599, 0x0000, 0x0000, False, False, 0x059E),
    (16, 0x8005, 0x0000, 0x0000, True, True, 0xBB3D),
    (16, 0x8005, 0xFFFF, 0x0000, True, True, 0x4B37),
    (16, 0x1021, 0xFFFF, 0x0000, False, False, 0x29B1),
    (16, 0x1021, 0xFFFF, 0xFFFF, True, True, 0x906E),
    (24, 0x864CFB, 0xB704CE, 0x000000, False, False, 0x21CF02),
    (32, 0x04C11DB7, 0xFFFFFFFF, 0xFFFFFFFF, True, True, 0xCBF43926),
    (32, 0x04C11DB7, 0xFFFFFFFF, 0xFFFFFFFF, False, False, 0xFC891918),
    (40, 0x0004820009, 0x0, 0xFFFFFFFFFF, False, False, 0xD4164FC646),
    (64, 0x42F0E1EBA9EA3693, (1 << 64) - 1, (1 << 64) - 1, True, True, 0x995DC9BBDF1939FA),
)


def crc_over(data, width, polynomial, start, final, reflect_in, reflect_out):
    crc = Crc(id=uuid4(), name="c", field=uuid4(), width=width, polynomial=polynomial, start=start, final=final,
              reflect_in=reflect_in, reflect_out=reflect_out)  # fmt: skip
    matrix = np.frombuffer(data, np.uint8).reshape(1, -1)
    return int(crc.taken(matrix, np.zeros(1, np.int64), np.array([len(data)]))[0])


@pytest.mark.parametrize("entry", CATALOGUE, ids=lambda entry: f"{entry[0]}-{entry[1]:x}")
def test_the_published_check_values(entry):
    *parameters, wanted = entry
    assert crc_over(b"123456789", *parameters) == wanted


def crc_bit_by_bit(data, width, polynomial, start, final, reflect_in, reflect_out):
    """The definition: a register of single bits, one shift a bit of the message."""
    register = [start >> (width - 1 - n) & 1 for n in range(width)]
    taps = [polynomial >> (width - 1 - n) & 1 for n in range(width)]
    for byte in data:
        for n in range(8) if reflect_in else range(7, -1, -1):
            out = register[0] ^ (byte >> n & 1)
            register = [bit ^ (tap & out) for bit, tap in zip([*register[1:], 0], taps, strict=True)]
    if reflect_out:
        register.reverse()
    return int("".join(map(str, register)), 2) ^ final


@given(st.data())
def test_any_crc_is_what_the_shift_register_gives(data):
    width = data.draw(st.integers(1, 64))
    numbers = [data.draw(st.integers(0, 2**width - 1)) for _ in range(3)]
    flags = data.draw(st.booleans()), data.draw(st.booleans())
    message = data.draw(st.binary(min_size=1, max_size=20))
    assert crc_over(message, width, *numbers, *flags) == crc_bit_by_bit(message, width, *numbers, *flags)


# whole layouts

VALUE, CHECK = new_field("value", at("B0..B2")), new_field("check", at("B3"))
OVER = Coverage(end=Expression("3"))


def layout_with(*checks, fields=(VALUE, CHECK), size=4):
    return new_layout("m", Applies(address=0x10), size, fields, checks=checks)


def states(layout, *payloads, address=0x10):
    matrix = np.array([list(payload.ljust(8, b"\0")) for payload in payloads], np.uint8)
    sizes = np.array([len(payload) for payload in payloads], np.uint32)
    return decode(compile_layout(layout), matrix, sizes, address=address)


CHECKS = (
    Sum(id=uuid4(), name="sum", field=CHECK.id, coverage=OVER),
    Sum(id=uuid4(), name="sum", field=CHECK.id, coverage=OVER, negated="ones"),
    Sum(id=uuid4(), name="sum", field=CHECK.id, coverage=OVER, negated="twos", start=7),
    Sum(id=uuid4(), name="sum", field=CHECK.id, coverage=OVER, carry=Carry.AROUND),
    Xor(id=uuid4(), name="xor", field=CHECK.id, coverage=OVER, start=0x5A),
    Crc(id=uuid4(), name="crc", field=CHECK.id, coverage=OVER, width=8, polynomial=0x07),
    Crc(id=uuid4(), name="crc", field=CHECK.id, coverage=Coverage(places=at("B2 B0[0..7] B1")), width=8, polynomial=7),
    Crc(id=uuid4(), name="crc", field=CHECK.id, width=8, polynomial=7,
        coverage=Coverage(end=Expression("3"), key_before="3C", key_after="A5 00", address_bytes=2)),
)  # fmt: skip


@pytest.mark.parametrize("check", CHECKS, ids=lambda check: check.name)
@given(st.binary(min_size=3, max_size=3), st.integers(0, 23))
def test_what_is_encoded_agrees_and_a_turned_bit_does_not(check, body, bit):
    layout = layout_with(check)
    good = encode_message(layout, {"value": int.from_bytes(body, "big")}).payload
    bad = bytearray(good)
    bad[bit // 8] ^= 1 << bit % 8
    decoded = states(layout, good, bytes(bad), good[:3])
    assert decoded.checks[check.id].state.tolist() == [
        CheckState.AGREES, CheckState.DISAGREES, CheckState.NOT_THERE,
    ]  # fmt: skip
    assert decoded.named("value").validity.tolist() == [Validity.GOOD, Validity.CHECK_FAILED, Validity.GOOD]
    assert not decoded.named("value").has_value[1] and np.isnan(decoded.named("value").plot_values()[1])
    assert frame_sentence(decoded, 1) == f"{check.name} disagrees"


def test_sums_of_words_by_hand():
    word = new_field("check", at("B4 B5"))
    body = new_field("value", at("B0..B3"))
    around = Sum(id=uuid4(), name="s", field=word.id, coverage=Coverage(end=Expression("4")), word_bytes=2,
                 carry=Carry.AROUND, negated="ones")  # fmt: skip
    layout = layout_with(around, fields=(body, word), size=6)
    # RFC 1071: 0xF203 + 0xF4F5 = 0x1E6F8, the carry comes round to 0xE6F9, turned round 0x1906
    assert encode_message(layout, {"value": 0xF203F4F5}).payload.hex() == "f203f4f51906"


def test_each_sender_has_its_key():
    keys = (AddressKey(0x10, "AA"), AddressKey(0x11, "BBBB"))
    check = Xor(id=uuid4(), name="x", field=CHECK.id, coverage=Coverage(end=Expression("3"), keys=keys))
    layout = layout_with(check)
    assert encode_message(layout, {"value": 1}, address=0x10).payload[3] == 1 ^ 0xAA
    assert encode_message(layout, {"value": 1}, address=0x11).payload[3] == 1
    assert encode_message(layout, {"value": 1}, address=0x12).payload[3] == 1
    assert states(layout, bytes([0, 0, 1, 0xAB])).checks[check.id].state[0] == CheckState.AGREES
    assert states(layout, bytes([0, 0, 1, 0xAB]), address=0x11).checks[check.id].state[0] == CheckState.DISAGREES


def test_a_counter_is_watched_for_each_sender_and_spoils_nothing():
    count, who = new_field("count", at("B0[3..0]")), new_field("who", at("B1"))
    check = Counter(id=uuid4(), name="count", field=count.id, per=(who.id,))
    layout = layout_with(check, fields=(count, who), size=2)
    frames = [bytes(pair) for pair in ((14, 1), (3, 2), (15, 1), (4, 2), (0, 1), (6, 2), (1, 1))]
    decoded = states(layout, *frames)
    assert decoded.checks[check.id].state.tolist() == [0, 0, 0, 0, 0, CheckState.DISAGREES, 0]
    assert (decoded.named("who").validity == Validity.GOOD).all()
    every = layout_with(
        Counter(id=uuid4(), name="c", field=count.id, step=3, wraps_at=10), fields=(count, who), size=2
    )  # fmt: skip
    found = states(every, b"\x05\0", b"\x08\0", b"\x01\0", b"\x02\0")
    assert next(iter(found.checks.values())).state.tolist() == [0, 0, 0, 1]


def test_complements_reserved_bits_and_rules():
    first, second = new_field("first", at("B0")), new_field("second", at("B1"))
    inverse = Complement(id=uuid4(), name="inverse", field=second.id, of=first.id)
    spare = Reserved(id=uuid4(), name="spare", places=at("B2[7..4]"), value=0b1010)
    rule = Rule(id=uuid4(), name="length", expression=Expression("size == 3 or first > 0xF0"))
    layout = layout_with(inverse, spare, rule, fields=(first, second), size=3)
    made = encode_message(layout, {"first": 0x0F}).payload
    assert made.hex() == "0ff0a0"
    decoded = states(layout, made, b"\x0f\xf1\xa0", b"\x0f\xf0\xb0", b"\x0f\xf0\xa0\x00")
    assert [decoded.checks[check.id].state.tolist() for check in (inverse, spare, rule)] == [
        [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1],
    ]  # fmt: skip
    assert decoded.named("first").validity.tolist() == [
        Validity.GOOD, Validity.CHECK_FAILED, Validity.GOOD, Validity.CHECK_FAILED,
    ]  # fmt: skip


def test_a_length_field_is_filled_from_its_rule():
    length, body = new_field("length", at("B0")), new_field("body", at("B1"))
    rule = Rule(id=uuid4(), name="length", expression=Expression("length == size - 1"))
    layout = layout_with(rule, fields=(length, body), size=2)
    assert encode_message(layout, {"body": 5}).payload == b"\x01\x05"


def test_a_check_that_the_link_made_spoils_values_too():
    layout = layout_with()
    matrix = np.zeros((2, 8), np.uint8)
    decoded = decode(compile_layout(layout), matrix, np.full(2, 4), untrue=np.array([False, True]))
    assert decoded.named("value").has_value.tolist() == [True, False]
    assert frame_sentence(decoded, 1) == "check of the link failed"


# the bits of a check itself, half bytes


WORDS, REST = new_field("header_words", at("B0[3..0]")), new_field("version", at("B0[7..4]"))
HEADER_SUM = new_field("header sum", at("B10 B11"))
HEADER = new_layout(
    "header", Applies(protocol="serial"), 20, [WORDS, REST, HEADER_SUM],
    checks=(Sum(id=uuid4(), name="sum", field=HEADER_SUM.id, word_bytes=2, carry=Carry.AROUND, negated="ones",
                coverage=Coverage(end=Expression("header_words * 4"))),),
)  # fmt: skip
PLAIN = bytes.fromhex("45000073000040004011b861c0a80001c0a800c7")
"""A header whose checksum 0xB861 many texts on RFC 791 work out by hand."""


def internet_sum(data):
    """Return the checksum of RFC 1071, added up word by word."""
    total = sum(int.from_bytes(data[n : n + 2]) for n in range(0, len(data), 2))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return total ^ 0xFFFF


@pytest.mark.parametrize("options", [b"", b"\x94\x04\x00\x00", bytes(range(1, 9))])
def test_a_check_within_its_own_stretch_counts_as_zero(options):
    assert internet_sum(PLAIN[:10] + b"\0\0" + PLAIN[12:]) == 0xB861
    body = bytes((0x40 | 5 + len(options) // 4,)) + PLAIN[1:10] + b"\0\0" + PLAIN[12:] + options
    header = body[:10] + internet_sum(body).to_bytes(2) + body[12:]
    spoilt = header[:1] + bytes((header[1] ^ 4,)) + header[2:]
    payloads = np.zeros((2, 32), np.uint8)
    payloads[0, : len(header)], payloads[1, : len(header)] = list(header), list(spoilt)
    decoded = decode(compile_layout(HEADER), payloads, np.full(2, len(header) + 2, np.uint32))
    (column,) = decoded.checks.values()
    assert column.state.tolist() == [CheckState.AGREES, CheckState.DISAGREES]


def test_a_check_within_its_own_stretch_is_worked_out():
    base = {"header_words": 5, "version": 4}
    payload = encode_message(HEADER, base).payload
    assert payload[10:12] == internet_sum(payload[:10] + b"\0\0" + payload[12:]).to_bytes(2)


@given(st.binary(min_size=4, max_size=4), st.sampled_from(["xor", "sum", "twos", "ones"]))
def test_half_bytes_are_folded_together(data, what):
    """A check of four bits in the lower half of the last byte, whose upper half is covered, too."""
    nibble, upper = new_field("check", at("B4[3..0]")), new_field("upper", at("B4[7..4]"))
    covered = Coverage(end=Expression("5"))
    settings = {"field": nibble.id, "coverage": covered, "word_bits": 4, "id": uuid4(), "name": "c"}
    check = Xor(**settings) if what == "xor" else Sum(**settings, negated="none" if what == "sum" else what)
    layout = new_layout("m", Applies(protocol="serial"), 5, [nibble, upper], checks=(check,))
    halves = [half for byte in (*data, 0x70) for half in (byte >> 4, byte & 15)]
    folded = 0
    for half in halves:
        folded = folded ^ half if what == "xor" else folded + half
    wanted = {"xor": folded, "sum": folded, "twos": -folded, "ones": ~folded}[what] & 15
    made = encode_message(layout, {"upper": 7}, data + bytes(1))
    payload = data + bytes((0x70 | wanted,))
    decoded = decode(compile_layout(layout), np.frombuffer(payload.ljust(8, b"\0"), np.uint8).reshape(1, -1),
                     np.array([5], np.uint32))  # fmt: skip
    assert next(iter(decoded.checks.values())).state[0] == CheckState.AGREES
    assert made.payload[:4] == data
    fields = [new_field(f"b{n}", at(f"B{n}")) for n in range(4)]
    whole = new_layout("m", Applies(protocol="serial"), 5, [*fields, nibble, upper], checks=(check,))
    assert encode_message(whole, {f"b{n}": byte for n, byte in enumerate(data)} | {"upper": 7}).payload == payload


def test_half_bytes_may_be_chosen_by_places():
    nibble = new_field("check", at("B2[3..0]"))
    check = Xor(id=uuid4(), name="c", field=nibble.id, word_bits=4, coverage=Coverage(places=at("B0 B1[7..4]")))
    layout = new_layout("m", Applies(protocol="serial"), 3, [nibble], checks=(check,))
    decoded = decode(
        compile_layout(layout), np.array([[0x12, 0x4F, 0x07, 0, 0, 0, 0, 0]], np.uint8), np.array([3], np.uint32)
    )
    assert next(iter(decoded.checks.values())).state[0] == CheckState.AGREES
    whole = msgspec.structs.replace(check, word_bits=8)
    assert [one.sentence for one in check_layout(msgspec.structs.replace(layout, checks=(whole,)))] == [
        "c covers 12 bits, which are not whole bytes."
    ]
    odd = msgspec.structs.replace(check, word_bits=5)
    assert "not 5 bits" in " ".join(
        one.sentence for one in check_layout(msgspec.structs.replace(layout, checks=(odd,)))
    )


@pytest.mark.parametrize(
    "reading",
    [
        {"inverted": True}, {"kind": FieldKind.GRAY}, {"kind": FieldKind.SIGNED}, {"kind": FieldKind.SIGN_MAGNITUDE},
        {"kind": FieldKind.ONES_COMPLEMENT}, {"kind": FieldKind.BCD}, {"kind": FieldKind.SIGNED, "inverted": True},
    ],
)  # fmt: skip
@pytest.mark.parametrize("sort", ["xor", "complement"])
def test_what_is_filled_in_agrees_however_the_field_is_read(reading, sort):
    """A check is about the number that is read; where no bits are read as it, that is said and nothing is made."""
    value, held = new_field("value", at("B0")), new_field("held", at("B1"), **reading)
    if sort == "xor":
        check = Xor(id=uuid4(), name="x", field=held.id, coverage=Coverage(end=Expression("1")))
    else:
        check = Complement(id=uuid4(), name="x", field=held.id, of=value.id)
    layout = new_layout("m", Applies(address=1), 2, [value, held], checks=(check,))
    made, refused = 0, 0
    for number in range(256):
        try:
            payload = encode_message(layout, {"value": number}).payload
        except EncodeError as error:
            assert "never are" in str(error)
            refused += 1
            continue
        matrix = np.frombuffer(payload.ljust(8, b"\0"), np.uint8).reshape(1, 8)
        decoded = decode(compile_layout(layout), matrix, np.array([2], np.uint32))
        assert decoded.checks[check.id].state[0] == CheckState.AGREES, number
        made += 1
    kind = reading.get("kind")
    assert refused == (156 if kind is FieldKind.BCD else 1 if kind in _WITHOUT_THE_LOWEST else 0)
    assert made + refused == 256


_WITHOUT_THE_LOWEST = FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT
"""One of their bit patterns is a second zero, so that they hold one number less."""


def test_a_check_that_is_on_another_page_writes_nothing():
    """Its bits belong to the page that is there."""
    page, value = new_field("page", at("B0")), new_field("value", at("B1"))
    first = new_field("first", at("B2"), selected=Selected(page.id, RawSet.of(1)))
    second = new_field("second", at("B2"), selected=Selected(page.id, RawSet.of(2)))
    turned = Complement(id=uuid4(), name="turned", field=second.id, of=value.id)
    layout = new_layout("m", Applies(address=1), 3, [page, value, first, second], checks=(turned,))
    assert encode_message(layout, {"page": 1, "value": 0x0F, "first": 7}).payload == bytes([1, 0x0F, 7])
    assert encode_message(layout, {"page": 2, "value": 0x0F}).payload == bytes([2, 0x0F, 0xF0])
    assert encode_message(layout, {"page": 3, "value": 0x0F}).payload == bytes([3, 0x0F, 0])


def test_an_equation_gives_nothing_to_a_field_that_is_on_another_page():
    page, value = new_field("page", at("B0")), new_field("value", at("B1"))
    shared = new_field("shared", at("B2"), selected=Selected(page.id, RawSet.of(1)))
    solved = new_field("solved", at("B2"), selected=Selected(page.id, RawSet.of(2)))
    rule = Rule(id=uuid4(), name="r", expression=Expression("solved == value + 1"))
    layout = new_layout("m", Applies(address=1), 3, [page, value, shared, solved], checks=(rule,))
    assert encode_message(layout, {"page": 1, "value": 4, "shared": 9}).payload == bytes([1, 4, 9])
    assert encode_message(layout, {"page": 2, "value": 4}).payload == bytes([2, 4, 5])


def test_a_selector_without_a_value_lets_nothing_be_there():
    """Decoding takes a page number that is not available for none; what it would select is not written."""
    page = new_field("page", at("B0"), unavailable=RawSet.of(0))
    value = new_field("value", at("B1"))
    turned = new_field("turned", at("B2"), selected=Selected(page.id, RawSet([(0, 3)])))
    check = Complement(id=uuid4(), name="c", field=turned.id, of=value.id)
    layout = new_layout("m", Applies(address=1), 3, [page, value, turned], checks=(check,))
    assert encode_message(layout, {"page": 1, "value": 1}).payload == bytes([1, 1, 0xFE])
    assert encode_message(layout, {"value": 1}).payload == bytes([0, 1, 0])


def test_an_equation_without_a_value_is_left_alone():
    """A shift takes whole numbers; of a fraction there is nothing to fill in, and nothing else is lost."""
    scaled, held = new_field("scaled", at("B0"), ratio=Fraction(1, 3)), new_field("held", at("B1"))
    rule = Rule(id=uuid4(), name="r", expression=Expression("held == scaled >> 1"))
    layout = new_layout("m", Applies(address=1), 2, [scaled, held], checks=(rule,))
    assert encode_message(layout, {"scaled": Fraction(1, 3)}).payload == bytes([1, 0])
    assert encode_message(layout, {"scaled": 4}).payload == bytes([12, 2])
