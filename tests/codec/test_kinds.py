"""Every way to read bits, against a slow second reading; curves; and encoding back."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.strategies import places_within
from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError, raw_column, raw_of, whole_of
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.scalar import bits_of_raw, field_range, physical_of, raw_of_bits
from zesty_abacus.core.layouts.model import Applies, CurvePoint, FieldKind, NamedValue, RawSet, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

from .oracle import raw_bits

KINDS = (
    FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT, FieldKind.GRAY,
    FieldKind.BCD, FieldKind.BCD_BYTES,
)  # fmt: skip


def read_slowly(kind, bits, width):
    """Read the bits of a number as text of zeros and ones, as a textbook says it."""
    text = f"{bits:0{width}b}"
    if kind is FieldKind.SIGNED:
        return int(text[1:] or "0", 2) - (int(text[0]) << (width - 1))
    if kind is FieldKind.SIGN_MAGNITUDE:
        return int(text[1:], 2) * (-1 if text[0] == "1" else 1)
    if kind is FieldKind.ONES_COMPLEMENT:
        turned = "".join("10"[int(digit)] for digit in text)
        return -int(turned, 2) if text[0] == "1" else int(text, 2)
    if kind is FieldKind.GRAY:
        found = ""
        for digit in text:
            found += str(int(digit) ^ int(found[-1] if found else "0"))
        return int(found, 2)
    if kind is FieldKind.BCD:
        digits = [int(text[n : n + 4], 2) for n in range(0, width, 4)]
        return int("".join(map(str, digits))) if max(digits) < 10 else None
    if kind is FieldKind.BCD_BYTES:
        parts = [int(text[n : n + 8], 2) for n in range(0, width, 8)]
        good = all(part >> 4 in (0, 3) and part & 15 < 10 for part in parts)
        return int("".join(str(part & 15) for part in parts)) if good else None
    return bits


@st.composite
def fields_of_any_kind(draw, size=9):
    kind = draw(st.sampled_from(KINDS))
    step = {FieldKind.BCD: 4, FieldKind.BCD_BYTES: 8}.get(kind, 1)
    width = draw(st.integers(2 if step == 1 else 1, 64 // step)) * step
    return new_field("f", draw(places_within(size, width, width)), kind, inverted=draw(st.booleans()))


@given(fields_of_any_kind(), st.lists(st.binary(min_size=9, max_size=9), min_size=1, max_size=5))
def test_bits_are_read_as_the_textbook_says(field, payloads):
    matrix = np.array([list(payload.ljust(16, b"\0")) for payload in payloads], np.uint8)
    column = decode(compile_layout(new_layout("m", Applies(protocol="x"), 9, [field])), matrix, np.full(len(matrix), 9))
    width = len(field.places)
    for row, payload in enumerate(payloads):
        bits = raw_bits(field.places.bits, payload) ^ ((1 << width) - 1 if field.inverted else 0)
        wanted = read_slowly(field.kind, bits, width)
        if wanted is None:
            assert column.named("f").validity[row] == Validity.NOT_READABLE
        else:
            assert int(column.named("f").raw[row]) == wanted
        assert raw_of_bits(field, raw_bits(field.places.bits, payload)) == wanted


@given(fields_of_any_kind(), st.data())
def test_raw_values_go_to_bits_and_back(field, data):
    low, high = field.raw_range()
    raw = data.draw(st.integers(low, high))
    assert raw_of_bits(field, bits_of_raw(field, raw)) == raw
    assert raw_of(field, raw) == (bits_of_raw(field, raw), 0)
    if field.kind not in (FieldKind.BCD, FieldKind.BCD_BYTES):
        column = np.array([raw], np.int64 if raw < 2**63 else np.uint64)
        assert int(raw_column(field, column)[0]) == bits_of_raw(field, raw)


# curves

TABLE = new_field(
    "heat", at("B1 B0"), unit="°C",
    table=tuple(CurvePoint(Fraction(x), Fraction(y)) for x, y in ((0, -40), (100, 10), (300, 60), (400, 50))),
)  # fmt: skip


@given(st.integers(0, 65535))
def test_a_table_is_followed_along_straight_lines(raw):
    matrix = np.zeros((1, 8), np.uint8)
    matrix[0, :2] = raw % 256, raw // 256
    value = decode(compile_layout(new_layout("m", Applies(protocol="x"), 2, [TABLE])), matrix, np.array([2]))
    if raw <= 100:
        wanted = -40 + Fraction(raw, 2)
    elif raw <= 300:
        wanted = 10 + Fraction(raw - 100, 4)
    else:
        wanted = max(60 - Fraction(raw - 300, 10), Fraction(50))
    assert physical_of(TABLE, raw) == wanted
    assert value.named("heat").value[0] == pytest.approx(float(wanted))


@given(st.fractions(min_value=-40, max_value=60, max_denominator=1000))
def test_the_nearest_raw_value_of_a_table_is_found(wanted):
    raw, loss = whole_of(TABLE, wanted)
    best = min(abs(physical_of(TABLE, one) - wanted) for one in range(401))
    assert abs(loss) == best and abs(physical_of(TABLE, raw) - wanted) == best


CURVES = st.one_of(
    st.lists(st.fractions(-20, 20, max_denominator=8), min_size=2, max_size=4)
    .filter(lambda numbers: any(numbers[1:])).map(lambda numbers: {"polynomial": tuple(numbers)}),
    st.dictionaries(st.integers(-300, 300), st.integers(-90, 90), min_size=2, max_size=5).map(
        lambda corners: {"table": tuple(CurvePoint(Fraction(x), Fraction(y)) for x, y in sorted(corners.items()))}
    ),
)  # fmt: skip


@given(CURVES, st.sampled_from([Fraction(1), Fraction(1, 4), Fraction(-3)]), st.integers(-50, 50))
@example({"polynomial": (Fraction(0), Fraction(-10), Fraction(1))}, Fraction(1), 0)
def test_the_range_of_a_curve_is_that_of_all_raw_numbers(curve, ratio, offset):
    field = new_field("curve", at("B0"), FieldKind.SIGNED, ratio=ratio, offset=Fraction(offset), **curve)
    values = [physical_of(field, raw) for raw in range(-128, 128)]
    assert field_range(field) == (min(values), max(values))


def test_a_value_beyond_a_table_does_not_fit():
    with pytest.raises(EncodeError, match="does not fit"):
        whole_of(TABLE, 90)


@given(
    st.lists(st.fractions(min_value=-5, max_value=5, max_denominator=20), min_size=2, max_size=4).filter(
        lambda c: c[1]
    ),
    st.integers(0, 255),
)
def test_polynomials_go_forth_and_back(coefficients, raw):
    field = new_field("p", at("B0"), ratio=Fraction(1, 10), offset=Fraction(-3), polynomial=tuple(coefficients))
    x = Fraction(raw, 10) - 3
    wanted = sum(c * x**n for n, c in enumerate(coefficients))
    assert physical_of(field, raw) == wanted
    decoded = decode(
        compile_layout(new_layout("m", Applies(protocol="x"), 1, [field])),
        np.array([[raw] + [0] * 7], np.uint8), np.array([1]),
    )  # fmt: skip
    assert decoded.named("p").value[0] == pytest.approx(float(wanted), abs=1e-9)
    found, loss = whole_of(field, wanted)
    assert loss == 0 and physical_of(field, found) == wanted


# raw values with a meaning


def test_faults_and_silence_are_told_apart_and_names_have_spans():
    field = new_field(
        "state", at("B0"), FieldKind.NAMES, unavailable=RawSet.of(255), errors=RawSet([(250, 254)]),
        names=(NamedValue(0, "off"), NamedValue(1, "low", 9), NamedValue(10, "high", 99)),
    )  # fmt: skip
    layout = new_layout("m", Applies(protocol="x"), 1, [field])
    matrix = np.zeros((6, 8), np.uint8)
    matrix[:, 0] = 0, 9, 10, 120, 252, 255
    column = decode(compile_layout(layout), matrix, np.ones(6))[field.id]
    assert column.label_codes().tolist()[:4] == [0, 1, 2, -1]
    assert [Validity(v).words for v in column.validity[-2:]] == ["fault", "not available"]
    assert encode_message(layout, {"state": "high"}).payload == b"\x0a"
