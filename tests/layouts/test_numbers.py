from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.layouts.curves import format_table, parse_polynomial, parse_table
from zesty_abacus.core.layouts.model import CurvePoint
from zesty_abacus.core.layouts.numbers import NumberError, format_exact, parse_exact


@given(st.fractions())
def test_writing_and_reading_is_the_identity(number):
    if abs(number.numerator) < 10**30 and number.denominator < 10**30:
        assert parse_exact(format_exact(number)) == number


@pytest.mark.parametrize(
    ("text", "number"),
    [("0.05", Fraction(1, 20)), ("1/20", Fraction(1, 20)), ("-3", Fraction(-3)), ("−3", Fraction(-3)),
     ("1e-3", Fraction(1, 1000)), (" 2.50 ", Fraction(5, 2)), (".5", Fraction(1, 2))],
)  # fmt: skip
def test_reads_what_people_type(text, number):
    assert parse_exact(text) == number


@pytest.mark.parametrize("text", ["", "abc", "1/0", "1e9999", "nan", "1_000", "0x10", "1" * 100, "--1", "1.2.3"])
def test_refuses_what_is_no_number(text):
    with pytest.raises(NumberError):
        parse_exact(text)


@pytest.mark.parametrize(
    ("number", "text"),
    [(Fraction(1, 20), "0.05"), (Fraction(-1, 8), "-0.125"), (Fraction(1, 3), "1/3"), (Fraction(7), "7")],
)
def test_writes_decimals_where_they_end(number, text):
    assert format_exact(number) == text


@given(st.lists(st.tuples(*[st.fractions(-(10**9), 10**9, max_denominator=50)] * 2), max_size=5))
def test_tables_are_written_as_they_are_read(corners):
    table = tuple(CurvePoint(x, y) for x, y in corners)
    assert parse_table(format_table(table)) == table


def test_curves_are_typed():
    assert parse_polynomial("1, 0.5, -1/8") == (1, Fraction(1, 2), Fraction(-1, 8)) and parse_polynomial(" ") == ()
    for text in ("1; 2", "5", "a: 1", "1:"):
        with pytest.raises(NumberError):
            parse_table(text)
