"""Exact numbers in text: what a person types and what a file holds."""

from __future__ import annotations

import re
from fractions import Fraction

from ..errors import MisuseError

_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?")
"""Exponents have two digits, so that every number that is read can also be a float."""
_RATIO = re.compile(r"([+-]?\d+)\s*/\s*(\d+)")
_MAX_LENGTH = 80


class NumberError(MisuseError):
    """A text that is not a number."""


def parse_exact(text: str) -> Fraction:
    """Read ``0.05``, ``1/20``, ``-3``, ``1e-3`` exactly.

    Raises
    ------
    NumberError
        If the text is none of these, too long, or divides by zero.
    """
    text = text.strip().replace("−", "-").replace("\u2009", "")
    ratio = _RATIO.fullmatch(text)
    if len(text) <= _MAX_LENGTH:
        if ratio and int(ratio[2]):
            return Fraction(int(ratio[1]), int(ratio[2]))
        if _NUMBER.fullmatch(text):
            return Fraction(text)
    raise NumberError(f"{text[:_MAX_LENGTH]!r} is not a number.", hint="Write 0.05, 1/20, -3 or 1e-3.")


def format_exact(number: Fraction) -> str:
    """Write a number exactly: as a decimal where that ends, else as ``n/d``."""
    if number.denominator == 1:
        return str(number.numerator)
    twos = fives = 0
    rest = number.denominator
    while rest % 2 == 0:
        rest //= 2
        twos += 1
    while rest % 5 == 0:
        rest //= 5
        fives += 1
    digits = max(twos, fives)
    if rest != 1 or digits > 12:
        return f"{number.numerator}/{number.denominator}"
    scaled = abs(number.numerator) * 10**digits // number.denominator
    whole, part = divmod(scaled, 10**digits)
    return f"{'-' if number < 0 else ''}{whole}.{part:0{digits}d}"
