"""Sums, products, divisions, and what keeps to whole numbers in them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..operation import HIGHEST, Bounds, Operation, Result, and_known, known_in_all
from ..units import divided, multiplied, the_first, the_same


def _added(between: Sequence[Bounds]) -> Bounds:
    (a, b), (c, d) = between
    return a + c, b + d


def _subtracted(between: Sequence[Bounds]) -> Bounds:
    (a, b), (c, d) = between
    return a - d, b - c


def _multiplied(between: Sequence[Bounds]) -> Bounds:
    (a, b), (c, d) = between
    corners = a * c, a * d, b * c, b * d
    return min(corners), max(corners)


def _negated(between: Sequence[Bounds]) -> Bounds:
    return -between[0][1], -between[0][0]


def _absolute(between: Sequence[Bounds]) -> Bounds:
    return 0, max(abs(between[0][0]), abs(between[0][1]))


def _lesser(between: Sequence[Bounds]) -> Bounds:
    (a, b), (c, d) = between
    return min(a, c), min(b, d)


def _greater(between: Sequence[Bounds]) -> Bounds:
    (a, b), (c, d) = between
    return max(a, c), max(b, d)


def _quotient_bounds(top: Bounds, _below: Bounds) -> Bounds:
    size = max(abs(top[0]), abs(top[1]))
    return -size, min(size, HIGHEST)


def _remainder_bounds(_top: Bounds, below: Bounds) -> Bounds:
    size = max(abs(below[0]), abs(below[1]), 1)
    return -size, size


def _dividing(
    function: Callable[..., NDArray], bounds: Callable[[Bounds, Bounds], Bounds]
) -> Callable[[Sequence[Result]], Result]:
    """Return a division that stays whole; a zero below has no result, which whole numbers cannot say themselves."""

    def over(parts: Sequence[Result]) -> Result:
        top, below = parts
        known = known_in_all(parts)
        if top.bounds is None or below.bounds is None:
            values = function(top.values.astype(np.float64), below.values.astype(np.float64))
            return Result(values, and_known(known, np.isfinite(values)), None)
        nonzero = below.values != 0
        values = function(top.values, np.where(nonzero, below.values, 1))
        return Result(values, and_known(known, nonzero), bounds(top.bounds, below.bounds))

    return over


OPERATIONS = (
    Operation("add", 2, lambda a, b: a + b, np.add, np.add, _added, unit=the_same, symbol="+"),
    Operation("subtract", 2, lambda a, b: a - b, np.subtract, np.subtract, _subtracted, unit=the_same, symbol="-"),
    Operation("multiply", 2, lambda a, b: a * b, np.multiply, np.multiply, _multiplied, unit=multiplied, symbol="*"),
    Operation("divide", 2, lambda a, b: a / b, np.divide, unit=divided, symbol="/"),
    Operation("floor_divide", 2, lambda a, b: a // b, columns=_dividing(np.floor_divide, _quotient_bounds),
              symbol="//"),
    Operation("remainder", 2, lambda a, b: a % b, columns=_dividing(np.remainder, _remainder_bounds), unit=the_same,
              symbol="%"),
    Operation("negate", 1, lambda a: -a, np.negative, np.negative, _negated, unit=the_first, symbol="-"),
    Operation("abs", 1, abs, np.abs, np.abs, _absolute, unit=the_first),
    Operation("min", 2, min, np.minimum, np.minimum, _lesser, unit=the_same),
    Operation("max", 2, max, np.maximum, np.maximum, _greater, unit=the_same),
)  # fmt: skip
