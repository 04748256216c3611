"""Arithmetic of polynomials over GF(2), against multiplication and trying everything."""

import functools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.unravel.checking.polynomials import (
    BYTE_REFLECTED,
    common_divisor,
    common_divisor_of,
    divided,
    divisors_of_degree,
    reflected,
    remainder,
    without_small_factors,
)

POLYNOMIALS = st.integers(1, (1 << 40) - 1)


def times(one, other):
    """Multiply as one does on paper, without carries."""
    made = 0
    while other:
        made ^= one if other & 1 else 0
        one, other = one << 1, other >> 1
    return made


def product(*factors):
    return functools.reduce(times, factors, 1)


@given(st.integers(0, (1 << 60) - 1), POLYNOMIALS)
def test_quotient_and_remainder_give_the_number_again(number, by):
    rest = remainder(number, by)
    assert times(divided(number, by), by) ^ rest == number and rest.bit_length() < by.bit_length()


@given(POLYNOMIALS, POLYNOMIALS, POLYNOMIALS)
def test_what_two_have_in_common(one, other, shared):
    found = common_divisor(times(one, shared), times(other, shared))
    assert remainder(found, shared) == 0, "at least what was put into both"
    for whole in (times(one, shared), times(other, shared)):
        assert remainder(whole, found) == 0


@given(st.lists(st.integers(1, 255), min_size=1, max_size=5), st.integers(0b100000, 0b111111))
def test_what_many_have_in_common(others, shared):
    numbers = [times(one, shared) for one in others]
    found = common_divisor_of(numbers, 5)
    assert found == functools.reduce(common_divisor, numbers) and remainder(found, shared) == 0
    assert common_divisor_of([*numbers, 0b1011], 5) == 0, "of degree 3 there is nothing of degree 5"
    assert common_divisor_of([], 5) == 0 and common_divisor_of([0, shared, 0], 5) == shared


@pytest.mark.parametrize(
    ("number", "degree", "left"),
    [
        # (x^3 + x + 1) times x twice and (x + 1) once
        (product(0b1011, 0b10, 0b10, 0b11), 3, 0b1011), (product(0b1011, 0b10, 0b10, 0b11), 4, product(0b1011, 0b11)),
        (product(0b1011, 0b10, 0b10, 0b11), 5, product(0b1011, 0b10, 0b11)),
        (product(0b1011, 0b11, 0b11), 3, 0b1011), (0b1011, 2, 0b1011), (0b11, 0, 1), (0b1000, 1, 0b10),
    ],
)  # fmt: skip
def test_small_factors_go_while_the_degree_stays(number, degree, left):
    assert without_small_factors(number, degree) == left


@pytest.mark.parametrize("degree", [1, 3, 8])
def test_divisors_of_a_degree_are_all_that_give_the_number(degree):
    number = product(0b11, 0b111, 0b1011, 0b10011, 0b100101)
    highest = number.bit_length() - 1 - degree
    others = range(1 << highest, 2 << highest)
    every = [one for one in range((1 << degree) | 1, 2 << degree, 2) if any(times(one, it) == number for it in others)]
    assert divisors_of_degree(number, degree) == every and every


def test_a_number_of_the_degree_itself_is_its_divisor_if_it_ends_in_one():
    assert divisors_of_degree(0x11021, 16) == [0x11021] and divisors_of_degree(0x11020, 16) == []
    assert divisors_of_degree(product(0x11021, 0b11), 16) == [], "beyond degree 8 nothing is tried"
    assert 0b100011011 in divisors_of_degree(product(0b100011011, 0b111), 8)
    assert divisors_of_degree(product(0b1000010001, 0b111), 9) == []


@given(st.integers(0, 255))
def test_bits_turned_round(byte):
    turned = sum((byte >> n & 1) << (7 - n) for n in range(8))
    assert reflected(byte, 8) == turned == BYTE_REFLECTED[byte]
    assert reflected(byte, 12) == turned << 4
