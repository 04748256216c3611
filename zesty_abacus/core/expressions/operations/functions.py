"""Rounding, roots, powers, logarithms and angles; angles are in radians."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..operation import Bounds, Operation
from ..units import halved, the_first

MAX_POWER = 64
"""Largest exponent, so that no text makes a number that fills memory."""


def _power_exactly(base: Fraction, exponent: Fraction) -> Fraction:
    if abs(exponent) > MAX_POWER:
        raise ValueError(f"exponents go to {MAX_POWER}")
    if exponent.denominator == 1:
        return base ** int(exponent)
    return Fraction(math.pow(base, exponent))


def _power(base: NDArray, exponent: NDArray) -> NDArray:
    return np.where(np.abs(exponent) <= MAX_POWER, np.power(base, exponent), np.nan)


def _unchanged(between: Sequence[Bounds]) -> Bounds:
    return between[0]


def _rounding(name: str, exact: Callable, floats: Callable[..., NDArray]) -> Operation:
    # whole numbers are round already
    return Operation(name, 1, exact, floats, np.positive, _unchanged, unit=the_first)


def _real(name: str, function: Callable[..., float], floats: Callable[..., NDArray], takes: int = 1) -> Operation:
    return Operation(name, takes, lambda *numbers: Fraction(function(*numbers)), floats)


OPERATIONS = (
    _rounding("floor", math.floor, np.floor),
    _rounding("ceil", math.ceil, np.ceil),
    _rounding("round", round, np.rint),
    Operation("sqrt", 1, lambda x: Fraction(math.sqrt(x)), np.sqrt, unit=halved),
    Operation("pow", 2, _power_exactly, _power),
    _real("exp", math.exp, np.exp),
    _real("log", math.log, np.log),
    _real("log10", math.log10, np.log10),
    _real("sin", math.sin, np.sin),
    _real("cos", math.cos, np.cos),
    _real("atan2", math.atan2, np.arctan2, takes=2),
)
