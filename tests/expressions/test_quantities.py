"""Units against the figures of the SI brochure, written down here as numbers."""

from __future__ import annotations

import math
from fractions import Fraction

import pytest

from zesty_abacus.core.expressions.quantities import converted, is_known, read_quantity, scale_of, unit_words
from zesty_abacus.core.expressions.tree import ExpressionError

EQUAL = [
    ("1", "h", "3600", "s"), ("1", "min", "60", "s"), ("90", "min", "1.5", "h"), ("1", "kn", "1.852", "km/h"),
    ("3600", "kn", "1852", "m/s"), ("1", "bar", "100", "kPa"), ("1", "bar", "1000", "hPa"), ("1", "mbar", "1", "hPa"),
    ("60", "rpm", "1", "Hz"), ("1", "rpm", "1", "1/min"), ("1", "W", "1", "V·A"), ("1", "kW·h", "3600000", "W·s"),
    ("1", "%", "0.01", ""), ("25", "°C", "298.15", "K"), ("0", "K", "-273.15", "°C"), ("1", "deg", "1", "°"),
    ("1", "dm", "100", "mm"), ("1", "cm", "10000", "µm"), ("1", "MHz", "1000000", "Hz"), ("1", "ns", "0.001", "us"),
    ("1", "kN", "1000", "N"), ("1", "mV", "0.001", "V"), ("1", "nA", "0.000001", "mA"), ("7", "°C/s", "7", "K/s"),
    ("1", "μs", "1", "µs"),
]  # fmt: skip


@pytest.mark.parametrize(("value", "unit", "same", "other"), EQUAL)
def test_the_same_in_another_unit(value, unit, same, other):
    assert converted(Fraction(value), unit, other) == Fraction(same)
    assert converted(Fraction(same), other, unit) == Fraction(value)


def test_an_angle_in_radians_is_the_nearest_float():
    assert float(converted(Fraction(1), "rad", "deg")) == 180 / math.pi
    assert float(converted(Fraction(1), "mrad", "deg")) == pytest.approx(0.18 / math.pi, rel=1e-15)


@pytest.mark.parametrize(
    ("unit", "into"), [("s", "m"), ("kn", "km"), ("", "V"), ("W", "V"), ("litre", "m"), ("V", None)]
)
def test_different_quantities_are_not_compared(unit, into):
    with pytest.raises(ExpressionError, match="cannot be compared with"):
        converted(Fraction(1), unit, into)


def test_a_unit_that_is_not_known_stands_for_itself():
    assert converted(Fraction(2), "step/min", "step/s") == Fraction(1, 30)
    assert not is_known("step/min") and is_known("kW·h") and is_known("") and not is_known("hs2x")
    # no prefix goes before what takes none
    assert scale_of("mmin").base == (("mmin", 1),) and not is_known("kkn")


@pytest.mark.parametrize(
    ("text", "into", "value"),
    [("250 ms", "s", Fraction(1, 4)), ("250", "s", 250), (" 1.5kn ", "m/s", Fraction(463, 600)), ("x", "s", None),
     ("1,5 s", "s", None), ("", "s", None), ("-1 s", "s", None)],
)  # fmt: skip
def test_quantities_as_people_type_them(text, into, value):
    assert read_quantity(text, into) == value


def test_units_in_a_sentence():
    assert [unit_words(one) for one in (None, "", "V", scale_of("kn").base)] == [
        "a unit that is not known", "a plain number", "V", "m/s"
    ]  # fmt: skip
    with pytest.raises(ExpressionError, match=r"^s cannot be compared with a plain number\.$"):
        converted(Fraction(1), "s", "")
