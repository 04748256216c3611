"""Scaled values are the floats nearest to the exact ones, whatever the width and the ratio."""

import random
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.scaling import CommonScale, nearest, rounds_once
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

numbers = st.one_of(
    st.fractions(-(10**6), 10**6, max_denominator=10**6),
    st.integers(-(2**70), 2**70).map(Fraction),
    st.tuples(st.integers(-(2**80), 2**80), st.integers(1, 2**90)).map(lambda pair: Fraction(*pair)),
    st.decimals(-1000, 1000, places=9).map(Fraction),
)


@given(st.lists(st.integers(0, 2**64 - 1), min_size=1, max_size=20), numbers, numbers)
@example([0, 1, 2**53 + 1, 2**64 - 1], Fraction(1), Fraction(0))
@example([2**53 + 1, 2**53 + 3], Fraction(3), Fraction(-1, 3))
@example([400, 4000000000000000001], Fraction(1, 10), Fraction(-40))
@example([7], Fraction(10) ** 300, Fraction(-1, 7))
def test_unsigned_numbers_become_the_nearest_floats(raws, ratio, offset):
    found = nearest(np.array(raws, np.uint64), ratio, offset)
    assert found.tolist() == [float(raw * ratio + offset) for raw in raws]


@given(st.lists(st.integers(-(2**63), 2**63 - 1), min_size=1, max_size=20), numbers, numbers)
@example([-(2**63), -1, 2**63 - 1], Fraction(1, 3), Fraction(0))
def test_signed_numbers_become_the_nearest_floats(raws, ratio, offset):
    found = nearest(np.array(raws, np.int64), ratio, offset)
    assert found.tolist() == [float(raw * ratio + offset) for raw in raws]


def test_what_no_float_holds_is_infinite():
    found = nearest(np.array([1, 2**63], np.uint64), Fraction(10) ** 300, Fraction(0))
    assert found.tolist() == [1e300, float("inf")]
    assert nearest(np.array([-(2**63)], np.int64), Fraction(10) ** 300, Fraction(0)).tolist() == [float("-inf")]


def test_a_common_scale_has_the_smallest_denominator():
    assert CommonScale.of(Fraction(1, 6), Fraction(-1, 4)) == (2, -3, 12)
    assert CommonScale.of(Fraction(5), Fraction(-40)) == (5, -40, 1)


@pytest.mark.parametrize(("width", "ratio", "once"), [(8, "1/20", True), (53, "1/3", True), (53, "3", False),
                                                      (40, "1/9007199254740993", False)])  # fmt: skip
def test_what_one_rounding_can_do(width, ratio, once):
    field = new_field("a", Places(range(width)), ratio=Fraction(ratio))
    assert rounds_once(field) is once


def test_decoding_gives_the_nearest_floats_for_every_width():
    """Widths of up to 64 bits, ratios as people write them and others, all kinds with a sign and without."""
    choose = random.Random(5)
    wrong = []
    for kind in (FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT):
        for size in range(1, 9):
            ratio = Fraction(choose.choice(["0.1", "0.05", "1/3", "7", "0.00390625", "0.0123456789", "1e-7", "2.5e9"]))
            offset = Fraction(choose.choice(["0", "-40", "-273.15", "1/7", "-1e6"]))
            field = new_field("a", at(f"B0..B{size - 1}"), kind, ratio=ratio, offset=offset)
            payloads = np.random.default_rng(size).integers(0, 256, (200, 8), dtype=np.uint8)
            layout = new_layout("m", Applies(address=1), 8, [field])
            column = decode(compile_layout(layout), payloads, np.full(200, 8, np.uint32))[field.id]
            for raw, value in zip(column.raw.tolist(), column.value.tolist(), strict=True):
                if value != float(raw * ratio + offset):
                    wrong.append((kind, size, ratio, offset, raw))
    assert not wrong
