"""Numbers of files, read as the decimals they are written as, and ids that stay."""

from __future__ import annotations

from fractions import Fraction

import pytest

from zesty_abacus.core.exchange.result import CannotCarryError, decimal_of, exact_of, stable_id


@pytest.mark.parametrize(("text", "number"), [
    ("0.1", Fraction(1, 10)), (" -40 ", Fraction(-40)), ("1e60", Fraction(10**60)), ("1E-60", Fraction(1, 10**60)),
    ("9.99e60", Fraction(999 * 10**58)), ("0.000", Fraction(0)), ("+7", Fraction(7)),
])  # fmt: skip
def test_a_number_is_the_decimal_it_is_written_as(text, number):
    assert exact_of(text) == number


@pytest.mark.parametrize("text", ["1e61", "1e-61", "inf", "-Infinity", "nan", "", "0x10", "1,5", "ten"])
def test_what_is_no_number_or_has_too_many_digits_is_refused_with_its_text(text):
    with pytest.raises(CannotCarryError) as told:
        exact_of(text)
    assert str(told.value) == f"{text!r} is no number."


def test_of_a_long_text_forty_characters_are_told():
    with pytest.raises(CannotCarryError) as told:
        exact_of("x" * 41)
    assert str(told.value) == f"{'x' * 40!r} is no number."


@pytest.mark.parametrize(("number", "text"), [
    (Fraction(1, 10), "0.1"), (Fraction(-40), "-40"), (Fraction(1, 8), "0.125"), (Fraction(1, 3), repr(1 / 3)),
])  # fmt: skip
def test_a_number_is_written_exactly_where_a_double_says_it(number, text):
    assert Fraction(decimal_of(number)) == Fraction(text)


def test_ids_are_the_same_each_time_and_others_for_other_names():
    assert stable_id("a", "b") == stable_id("a", "b") != stable_id("b", "a")
