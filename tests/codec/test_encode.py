import functools
import operator
from fractions import Fraction
from itertools import permutations
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.codec.oracle import raw_bits
from tests.strategies import layouts
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError, put_raw, raw_column, raw_of
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import (
    Applies,
    Complement,
    Coverage,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Rule,
    Selected,
    Sum,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at


@given(layouts(max_size=16), st.data())
def test_decoding_then_encoding_gives_the_same_bits(layout, data):
    payload = data.draw(st.binary(min_size=layout.size, max_size=layout.size))
    matrix = np.frombuffer(payload.ljust(64, b"\0"), np.uint8)[None, :]
    decoded = decode(compile_layout(layout), matrix, np.array([layout.size], np.uint32))
    values = {}
    for field in layout.fields:
        if field.kind is not FieldKind.FLOAT:
            low, _ = field.raw_range()
            raw = raw_bits(field.places.bits, payload)
            exact = raw - 2 ** len(field.places.bits) if low < 0 and raw * 2 >= 2 ** len(field.places.bits) else raw
            assert exact == int(decoded[field.id].raw[0])
            values[field.name] = exact * field.ratio + field.offset
    encoded = encode_message(layout, values, base=payload)
    assert encoded.payload == payload
    assert encoded.losses == {}


@given(layouts(max_size=16), st.integers(0, 2**32 - 1))
def test_columns_of_raw_values_come_back(layout, seed):
    random = np.random.default_rng(seed)
    matrix = np.zeros((4, layout.size), np.uint8)
    raws = {}
    for field in layout.fields:
        raws[field.id] = random.integers(0, 2**64 - 1, 4, dtype=np.uint64) >> np.uint64(64 - len(field.places))
        put_raw(matrix, field, raws[field.id])
    decoded = decode(
        compile_layout(layout), np.pad(matrix, ((0, 0), (0, 64 - layout.size))), np.full(4, layout.size, np.uint32)
    )
    for field in layout.fields:
        mask = np.uint64(2 ** len(field.places) - 1)
        assert (decoded[field.id].raw.view(np.uint64) & mask == raws[field.id]).all()


ANGLE = new_field("angle", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20), unit="deg")
MODE = new_field("mode", at("B2[1..0]"), FieldKind.NAMES, names=(NamedValue(2, "transit"),))
LAYOUT = new_layout("Pod", Applies(address=0x1A0), 4, [ANGLE, MODE])


def test_values_names_and_hex_are_taken():
    assert encode_message(LAYOUT, {"angle": "-12.35", "mode": "transit"}).payload.hex() == "09ff0200"
    assert encode_message(LAYOUT, {"mode": "0x1"}).payload.hex() == "00000100"


ON = new_field("on", at("B0[3]"), FieldKind.FLAG)
SHUT = new_field("shut", at("B0[2]"), FieldKind.FLAG, names=(NamedValue(1, "closed"), NamedValue(0, "open")))
VALVE = new_layout("Valve", Applies(address=0x1A1), 1, [ON, SHUT])


@pytest.mark.parametrize(
    ("values", "payload"),
    [
        ({"on": "yes"}, "08"), ({"on": "no"}, "00"), ({"on": "1", "shut": "closed"}, "0c"),
        ({"on": True, "shut": "open"}, "08"),
    ],
)  # fmt: skip
def test_a_flag_is_given_as_it_is_told(values, payload):
    assert encode_message(VALVE, values).payload.hex() == payload


@pytest.mark.parametrize(("name", "takes"), [("on", "It takes no, yes."), ("shut", "It takes closed, open.")])
def test_a_flag_says_what_it_takes(name, takes):
    with pytest.raises(EncodeError, match=takes):
        encode_message(VALVE, {name: {"on": "closed", "shut": "yes"}[name]})


@pytest.mark.parametrize(
    ("kind", "places", "settings", "payload"),
    [
        (FieldKind.UNSIGNED, "B0", {}, "fe ff"), (FieldKind.UNSIGNED, "B1 B0", {}, "fe 00 ff 00"),
        (FieldKind.SIGNED, "B0", {"unavailable": RawSet.of(-128), "errors": RawSet.of(-2, 5)}, "80 fe"),
        (FieldKind.GRAY, "B0[3..0]", {"unavailable": RawSet.of(15), "errors": RawSet.of(14)}, "08 09"),
        (FieldKind.BCD, "B0", {"unavailable": RawSet.of(99), "errors": RawSet.of(98)}, "99 98"),
        (FieldKind.NAMES, "B0", {"names": (NamedValue(3, "fault"),)}, "fe 03"),
        (FieldKind.UNSIGNED, "B0", {"inverted": True, "ratio": Fraction(1, 3)}, "01 00"),
        (FieldKind.FLOAT, "B0 B1", {"unavailable": RawSet.of(0xFFFF), "errors": RawSet.of(0xFFFE)}, "ffff fffe"),
        (FieldKind.FLOAT, "B0 B1", {"inverted": True, "errors": RawSet.of(0x8000)}, "ff01 7fff"),
    ],
)  # fmt: skip
def test_that_there_is_no_value_is_given_as_it_is_told(kind, places, settings, payload):
    """A field of the first two rows says 0xFE of no value and 0xFF of a fault."""
    sets = {"unavailable": RawSet.of(0xFE), "errors": RawSet.of(0xFF)} | settings
    layout = new_layout("Heat", Applies(address=0x10), 0, [new_field("heat", at(places), kind, **sets)])
    made = [encode_message(layout, {"heat": word}).payload for word in ("not available", "fault")]
    assert b"".join(made) == bytes.fromhex(payload)


def test_a_field_without_such_a_number_cannot_say_it():
    for word in ("not available", "fault"):
        with pytest.raises(EncodeError, match=f"'{word}' is no value"):
            encode_message(LAYOUT, {"angle": word})
    ratio = new_layout("Ratio", Applies(address=0x11), 2, [new_field("ratio", at("B0 B1"), FieldKind.FLOAT)])
    # a float that is no number says it by itself, but no fault
    assert encode_message(ratio, {"ratio": "not available"}).payload.hex() == "7e00"
    with pytest.raises(EncodeError, match="'fault' is no value"):
        encode_message(ratio, {"ratio": "fault"})


def test_a_value_between_steps_tells_its_loss():
    encoded = encode_message(LAYOUT, {"angle": "-12.32"})
    assert encoded.losses == {"angle": Fraction("-12.32") - Fraction("-12.3")}


def test_columns_are_rounded_and_held_at_the_ends():
    matrix = np.zeros((3, 4), np.uint8)
    put_raw(matrix, ANGLE, raw_column(ANGLE, np.array([0.07, 1e9, -1e9])))
    assert matrix[:, :2].tobytes().hex() == "0100ff7f0080"


@pytest.mark.parametrize(
    ("values", "complaint"),
    [
        ({"angle": "2000"}, "does not fit: it holds -1638.4 to 1638.35 deg"),
        ({"angle": "many"}, "no value"),
        ({"mode": "fast"}, "It takes transit"),
        ({"speed": 1}, "there is no field 'speed'"),
        ({"angle": float("nan")}, "no value"),
        ({"angle": float("inf")}, "no value"),
    ],
)
def test_what_does_not_fit_is_refused(values, complaint):
    with pytest.raises(EncodeError) as caught:
        encode_message(LAYOUT, values)
    assert complaint in str(caught.value)


def test_text_and_bytes():
    text = new_field("text", at("B0..B2"), FieldKind.TEXT)
    assert raw_of(text, "ab")[0] == 0x616200
    with pytest.raises(EncodeError, match="4 bytes do not fit: it holds 3"):
        raw_of(text, "abcd")
    with pytest.raises(EncodeError, match="cannot be written"):
        raw_of(text, "é")
    data = new_field("data", at("B2..B0"), FieldKind.BYTES)
    assert encode_message(new_layout("m", Applies(address=1), 3, [data]), {"data": "01 02 03"}).payload == b"\3\2\1"
    with pytest.raises(EncodeError):
        raw_of(data, "xyz")


def test_floats_tell_what_they_lose():
    half = new_field("half", at("B0 B1"), FieldKind.FLOAT)
    assert raw_of(half, 1.0) == (0x3C00, 0)
    assert raw_of(half, "0.1")[1] != 0
    with pytest.raises(EncodeError, match="beyond 16-bit"):
        raw_of(half, 1e6)


def test_a_field_its_selector_excludes_is_refused():
    page = new_field("page", at("B0"))
    part = new_field("part", at("B1"), selected=Selected(page.id, RawSet.of(3)))
    layout = new_layout("m", Applies(address=1), 2, [page, part])
    assert encode_message(layout, {"page": 3, "part": 9}).payload == b"\x03\x09"
    with pytest.raises(EncodeError, match="Set page to 3"):
        encode_message(layout, {"page": 2, "part": 9})


def test_a_selector_that_is_filled_in_says_something():
    """The lowest value that selects a field may be one that says the selector has no value, and so selects nothing."""
    page = new_field("page", at("B0"), unavailable=RawSet([(2, 3)]), errors=RawSet.of(4))
    part = new_field("part", at("B1"), selected=Selected(page.id, RawSet([(2, 9)])))
    layout = new_layout("m", Applies(address=1), 2, [page, part])
    assert encode_message(layout, {"part": 9}).payload == b"\x05\x09"
    with pytest.raises(EncodeError, match="not in the frame while page is 3"):
        encode_message(layout, {"page": 3, "part": 9})


def test_a_part_is_written_where_decoding_finds_it():
    page = new_field("page", at("B0"), unavailable=RawSet.of(1))
    inner = new_field("inner", at("B0"))
    group = Group(id=uuid4(), name="more", size=1, fields=(inner,), selected=Selected(page.id, RawSet([(1, 2)])))
    layout = new_layout("m", Applies(address=1), 1, [page], parts=(group,))
    assert encode_message(layout, {"inner": 7}).payload == b"\x02\x07"
    assert encode_message(layout, {"page": 1}).payload == b"\x01"
    with pytest.raises(EncodeError, match="not in a frame with these values"):
        encode_message(layout, {"page": 1, "inner": 7})


LENGTH, TURNED = new_field("length", at("B0")), new_field("turned", at("B1"))
HEAD_SUM, TAIL_SUM = new_field("head sum", at("B2")), new_field("tail sum", at("B5"))
INVERSE = Complement(id=uuid4(), name="inverse", field=TURNED.id, of=LENGTH.id)
EQUAL = Rule(id=uuid4(), name="equal", expression=Expression("length == size - 4"))
HEAD = Sum(id=uuid4(), name="head", field=HEAD_SUM.id, coverage=Coverage(end=Expression("2")), start=1)
TAIL = Xor(id=uuid4(), name="tail", field=TAIL_SUM.id, coverage=Coverage(end=Expression("size - 1")))
BYTE = new_field("byte", at("B3"))


@pytest.mark.parametrize("checks", list(permutations([INVERSE, EQUAL, HEAD, TAIL])), ids=lambda some: "")
def test_checks_agree_in_whatever_order_they_are_listed(checks):
    """The inverse of a length that an equation gives, a sum over both, and one over that sum."""
    fields = [LENGTH, TURNED, HEAD_SUM, BYTE, TAIL_SUM]
    layout = new_layout("m", Applies(address=1), 6, fields, checks=checks)
    assert encode_message(layout, {"byte": 0x40}).payload == bytes([2, 0xFD, 0x00, 0x40, 0, 2 ^ 0xFD ^ 0x40])


def test_checks_in_a_circle_are_filled_in_as_they_are_listed():
    first = Xor(id=uuid4(), name="first", field=HEAD_SUM.id)
    second = Xor(id=uuid4(), name="second", field=TAIL_SUM.id)
    layout = new_layout("m", Applies(address=1), 6, [HEAD_SUM, BYTE, TAIL_SUM], checks=(first, second))
    assert encode_message(layout, {"byte": 0x40}).payload == bytes([0, 0, 0x40, 0x40, 0, 0])


def test_a_field_that_a_check_lets_go_leaves_nothing_behind():
    """The page is the inverse of another field: what an equation gives under it is written once the page is known."""
    page, mirror = new_field("page", at("B0")), new_field("mirror", at("B1"))
    part = new_field("part", at("B2"), selected=Selected(page.id, RawSet.of(0)))
    inverse = Complement(id=uuid4(), name="inverse", field=page.id, of=mirror.id)
    equal = Rule(id=uuid4(), name="equal", expression=Expression("part == 7"))
    layout = new_layout("m", Applies(address=1), 3, [page, mirror, part], checks=(equal, inverse))
    assert encode_message(layout, {"mirror": 1}).payload == b"\xfe\x01\x00"
    assert encode_message(layout, {"mirror": 0xFF}).payload == b"\x00\xff\x07"


@pytest.mark.parametrize("end", [(1 << 63) - 1, 1 << 63, (1 << 64) - 1])
def test_a_check_is_filled_in_beside_a_number_of_64_bits(end):
    """What a check covers is said by an expression over it."""
    total, check = new_field("total", at("B7 B6 B5 B4 B3 B2 B1 B0")), new_field("check", at("B8"))
    covered = Coverage(end=Expression("if(total > 9, 8, 4)"))
    whole = Xor(id=uuid4(), name="whole", field=check.id, coverage=covered)
    layout = new_layout("m", Applies(protocol="x"), 9, [total, check], checks=[whole])
    made = encode_message(layout, {"total": end})
    inside = end.to_bytes(8, "little")
    assert made.payload == inside + bytes([functools.reduce(operator.xor, inside)])
