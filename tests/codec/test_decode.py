import math
from fractions import Fraction

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.codec.oracle import physical, raw_bits, raw_value
from tests.strategies import layouts, payload_matrix
from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import PlanError, compile_layout, compile_places, number_steps, value_dtype
from zesty_abacus.core.kernels.bits import decode_numbers
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

SEEDS = st.integers(0, 2**32 - 1)


def decode_one(field, payload: bytes, size: int | None = None):
    """Decode a single payload with a layout of one field."""
    layout = new_layout("m", Applies(address=1), max(len(payload), 1), [field])
    matrix = np.zeros((1, 64), np.uint8)
    matrix[0, : len(payload)] = np.frombuffer(payload, np.uint8)
    sizes = np.array([len(payload) if size is None else size], np.uint32)
    return decode(compile_layout(layout), matrix, sizes)[field.id]


@given(layouts(), SEEDS)
def test_every_field_agrees_with_the_bit_by_bit_oracle(layout, seed):
    matrix = payload_matrix(np.random.default_rng(seed), 5, layout.size)
    decoded = decode(compile_layout(layout), matrix, np.full(5, layout.size, np.uint32))
    for field in layout.fields:
        column = decoded[field.id]
        for row in range(5):
            payload = matrix[row].tobytes()
            assert int(column.raw[row]) == raw_value(field, payload)
            check_value(field, column.value[row].item(), physical(field, payload))


def check_value(field, found, wanted):
    """Compare with the exact value: equal for integers, within two roundings for floats."""
    if isinstance(wanted, float):
        assert math.isnan(found) if math.isnan(wanted) else found == wanted
        return
    if value_dtype(field) != np.float64:
        assert found == wanted
        return
    if math.isinf(found):
        assert abs(wanted) > Fraction(1.7e308)
        return
    size = max(abs(wanted), abs(wanted - field.offset), abs(field.offset))
    assert abs(Fraction(found) - wanted) <= size * Fraction(1, 2**51) + Fraction(1, 10**300)


@given(st.lists(st.integers(0, 511), unique=True, min_size=1, max_size=64), SEEDS)
def test_scattered_bits_in_any_order(bits, seed):
    from zesty_abacus.core.layouts.places import Places

    field = new_field("a", Places(bits))
    matrix = payload_matrix(np.random.default_rng(seed), 3, 64)
    raw, _ = decode_numbers(matrix, number_steps([field]))
    assert [int(value) for value in raw[0]] == [raw_bits(bits, row.tobytes()) for row in matrix]


@pytest.mark.parametrize(
    ("text", "steps"),
    [("B0", 1), ("B1 B0", 1), ("B0 B1", 1), ("B3[3..0] B2", 1), ("B0..B7", 1), ("B7..B0", 1), ("B0[0] B0[7]", 2)],
)
def test_customary_places_take_one_step(text, steps):
    assert len(compile_places(at(text))) == steps


def test_a_place_over_two_words_takes_two_steps():
    assert len(compile_places(at("B8 B7"))) == 2


@pytest.mark.parametrize("threads", [1, 2, 3])
def test_results_do_not_depend_on_threads_or_blocks(threads):
    matrix = np.random.default_rng(1).integers(0, 256, (200_003, 8), dtype=np.uint8)
    fields = [new_field("a", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20)), new_field("b", at("B2 B3[7..4]"))]
    raw, values = decode_numbers(matrix, number_steps(fields), threads=threads)
    words = matrix[:, 0].astype(np.int64) | matrix[:, 1].astype(np.int64) << 8
    signed = np.where(words >= 1 << 15, words - (1 << 16), words)
    assert (raw[0].view(np.int64) == signed).all()
    assert (values[0] == signed / 20).all(), "n/20 is rounded once, so it equals Python's own division"
    assert (raw[1] == (matrix[:, 2].astype(np.uint64) << np.uint64(4) | matrix[:, 3] >> 4)).all()


@pytest.mark.parametrize(
    ("field", "payload", "value"),
    [
        (new_field("half", at("B0 B1"), FieldKind.FLOAT), "3C00", 1.0),
        (new_field("half", at("B0 B1"), FieldKind.FLOAT), "C000", -2.0),
        (new_field("half", at("B1 B0"), FieldKind.FLOAT), "FF7B", 65504.0),
        (new_field("single", at("B0..B3"), FieldKind.FLOAT), "40490FDB", 3.1415927410125732),
        (new_field("double", at("B0..B7"), FieldKind.FLOAT), "400921FB54442D18", math.pi),
        (new_field("signed", at("B0"), FieldKind.SIGNED), "80", -128),
        (new_field("wide", at("B0..B7")), "FFFFFFFFFFFFFFFF", 2**64 - 1),
        (new_field("wide", at("B0..B7"), FieldKind.SIGNED), "8000000000000000", -(2**63)),
        (new_field("scaled", at("B1 B0"), ratio=Fraction(1, 10), offset=Fraction(-40)), "E803", 60.0),
    ],
)
def test_known_answers(field, payload, value):
    assert decode_one(field, bytes.fromhex(payload)).value[0].item() == value


def test_validity_says_why_there_is_no_value():
    field = new_field("a", at("B1 B0"), unavailable=RawSet.of(0xFFFF), low=Fraction(10), high=Fraction(20))
    cases = {"0F00": Validity.GOOD, "FFFF": Validity.NOT_AVAILABLE, "0900": Validity.OUTSIDE_LIMITS,
             "1500": Validity.OUTSIDE_LIMITS, "0A00": Validity.GOOD, "1400": Validity.GOOD}  # fmt: skip
    for payload, wanted in cases.items():
        assert decode_one(field, bytes.fromhex(payload)).validity[0] == wanted, payload
    assert decode_one(field, bytes.fromhex("0F00"), size=1).validity[0] == Validity.TOO_SHORT


def test_limits_of_whole_numbers_are_not_rounded():
    top = new_field("a", at("B0..B7"), high=Fraction(2**63 + 1, 1))
    assert decode_one(top, (2**63 + 1).to_bytes(8)).validity[0] == Validity.GOOD
    assert decode_one(top, (2**63 + 2).to_bytes(8)).validity[0] == Validity.OUTSIDE_LIMITS
    half = new_field("a", at("B0"), low=Fraction(5, 2))
    assert decode_one(half, b"\x02").validity[0] == Validity.OUTSIDE_LIMITS
    assert decode_one(half, b"\x03").validity[0] == Validity.GOOD


def test_selected_fields_are_absent_otherwise_even_when_nested():
    page = new_field("page", at("B0"))
    sub = new_field("sub", at("B1"), selected=Selected(page.id, RawSet.of(1)))
    deep = new_field("deep", at("B2"), selected=Selected(sub.id, RawSet.of(7)))
    layout = new_layout("m", Applies(address=1), 8, [deep, sub, page])
    matrix = np.zeros((3, 8), np.uint8)
    matrix[:, :3] = [[1, 7, 9], [0, 7, 9], [1, 6, 9]]
    decoded = decode(compile_layout(layout), matrix, np.full(3, 8, np.uint32))
    absent = Validity.ABSENT
    assert list(decoded[sub.id].validity) == [0, absent, 0]
    assert list(decoded[deep.id].validity) == [0, absent, absent]
    only = decode(compile_layout(layout), matrix, np.full(3, 8, np.uint32), [deep.id])
    assert list(only.columns) == [deep.id] and list(only[deep.id].validity) == [0, absent, absent]


def test_names_and_flags_and_text():
    names = (NamedValue(3, "three"), NamedValue(1, "one"))
    column = decode_one(new_field("a", at("B0"), FieldKind.NAMES, names=names), b"\x01")
    assert names[column.label_codes()[0]].label == "one"
    assert decode_one(new_field("a", at("B0"), FieldKind.NAMES, names=names), b"\x02").label_codes()[0] == -1
    text = new_field("t", at("B1..B3"), FieldKind.TEXT)
    assert decode_one(text, b"\x00ab\x00").text_of(0) == "ab"
    turned = new_field("t", at("B3..B1"), FieldKind.BYTES)
    assert decode_one(turned, b"\x00\x01\x02\x03").text_of(0) == "03 02 01"
    shifted = new_field("t", at("B0[3..0] B1[7..4]"), FieldKind.BYTES)
    assert decode_one(shifted, b"\x14\x10").text_of(0) == "41"


def test_a_broken_layout_does_not_compile():
    layout = new_layout("m", Applies(address=1), 1, [new_field("a", at("B1"))])
    with pytest.raises(PlanError, match="a reaches byte 1"):
        compile_layout(layout)


@pytest.mark.parametrize(
    ("kind", "ratio", "dtype"),
    [
        (FieldKind.UNSIGNED, 1, np.uint64),
        (FieldKind.SIGNED, 1, np.int64),
        (FieldKind.SIGNED, 2, np.float64),
        (FieldKind.FLOAT, 1, np.float64),
        (FieldKind.TEXT, 1, None),
    ],
)
def test_dtype_table(kind, ratio, dtype):
    field = msgspec.structs.replace(new_field("a", at("B0 B1"), kind), ratio=Fraction(ratio))
    assert value_dtype(field) == dtype
