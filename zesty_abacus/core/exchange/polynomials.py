"""Polynomials as other formats want them: in the raw value, without a scale before."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction


def composed(polynomial: Sequence[Fraction], offset: Fraction, ratio: Fraction) -> list[Fraction]:
    """Return the coefficients of ``polynomial(offset + ratio * x)`` in x, by Horner's rule."""
    result = [Fraction(0)]
    for coefficient in reversed(polynomial):
        scaled = [Fraction(0)] * (len(result) + 1)
        for power, known in enumerate(result):
            scaled[power] += known * offset
            scaled[power + 1] += known * ratio
        scaled[0] += coefficient
        result = scaled
    while len(result) > 1 and not result[-1]:
        result.pop()
    return result
