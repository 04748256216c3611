"""Types and literals of structured text, by the tables of IEC 61131-3."""

from fractions import Fraction

import pytest

from zesty_abacus.core.generate.errors import CannotCarryError
from zesty_abacus.core.generate.iec61131 import types


@pytest.mark.parametrize(
    ("kind", "low", "high"),
    [
        ("SINT", -128, 127), ("INT", -32_768, 32_767), ("DINT", -2_147_483_648, 2_147_483_647),
        ("LINT", -9_223_372_036_854_775_808, 9_223_372_036_854_775_807),
        ("USINT", 0, 255), ("UINT", 0, 65_535), ("UDINT", 0, 4_294_967_295), ("ULINT", 0, 18_446_744_073_709_551_615),
    ],
)  # fmt: skip
def test_ranges_of_whole_types(kind, low, high):
    assert types.range_of(kind) == (low, high)


@pytest.mark.parametrize(
    ("number", "text"),
    [
        (0.0, "LREAL#0.0"), (-2.5, "LREAL#-2.5"), (Fraction(1, 10), "LREAL#0.1"), (1e22, "LREAL#1.0E22"),
        (2.5e-9, "LREAL#2.5E-9"), (1.7976931348623157e308, types.LARGEST),
    ],
)  # fmt: skip
def test_literals_of_real_numbers(number, text):
    assert types.floating(number) == text


@pytest.mark.parametrize("number", [float("inf"), float("-inf"), float("nan"), Fraction(10) ** 400])
def test_what_no_literal_is_of(number):
    with pytest.raises(CannotCarryError, match="beyond the largest LREAL"):
        types.floating(number)


@pytest.mark.parametrize(
    ("text", "literal"),
    [
        ("deck", "'deck'"), ("it's", "'it$'s'"), ("5$", "'5$$'"), (" ~", "' ~'"), ("\x1f", "'$1F'"), ("\x7f", "'$7F'"),
        ("°", "'$C2$B0'"), ("\r\n", "'$0D$0A'"),
    ],
)  # fmt: skip
def test_literals_of_texts(text, literal):
    assert types.string(text) == literal


def test_other_literals_and_conversions():
    assert types.whole(-5, "INT") == "INT#-5" and types.bits(0xAB) == "LWORD#16#AB"
    assert types.converted("x", "INT", "INT") == "x" and types.converted("x", "INT", "LREAL") == "INT_TO_LREAL(x)"
    assert types.as_bits("x", "INT") == "LINT_TO_LWORD(INT_TO_LINT(x))"
    assert types.as_bits("x", "ULINT") == "ULINT_TO_LWORD(x)"
    assert types.as_bits("x", "USINT") == "ULINT_TO_LWORD(USINT_TO_ULINT(x))"
