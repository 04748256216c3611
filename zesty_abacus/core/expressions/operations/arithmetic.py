"""Sums, products, divisions, and what keeps to whole numbers in them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..operation import (
    HIGHEST,
    Bounds,
    Operation,
    Result,
    and_known,
    in_one_type,
    known_in_all,
    type_between,
    whole_result,
)
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


def _quotient_bounds(top: Bounds, below: Bounds) -> Bounds:
    if top[0] >= 0 and below[0] >= 0:
        return 0, top[1]
    size = max(abs(top[0]), abs(top[1]))
    return -size, min(size, HIGHEST)


def _remainder_bounds(_top: Bounds, below: Bounds) -> Bounds:
    if below[0] >= 0:
        return 0, max(below[1] - 1, 0)
    size = max(abs(below[0]), abs(below[1]), 1)
    return -size, size


def _dividing(
    function: Callable[..., NDArray], bounds: Callable[[Bounds, Bounds], Bounds]
) -> Callable[[Sequence[Result]], Result]:
    """Return a division that stays whole; a zero below has no result, which whole numbers cannot say themselves."""

    def over(parts: Sequence[Result]) -> Result:
        top, below = parts
        known = known_in_all(parts)
        whole = in_one_type(parts) if top.bounds is not None and below.bounds is not None else None
        if whole is None:
            values = function(top.values.astype(np.float64), below.values.astype(np.float64))
            return Result(values, and_known(known, np.isfinite(values)), None)
        nonzero = whole[1] != 0
        values = function(whole[0], np.where(nonzero, whole[1], whole[1].dtype.type(1)))
        assert top.bounds is not None and below.bounds is not None, "they were looked at"
        return whole_result(values, and_known(known, nonzero), bounds(top.bounds, below.bounds))

    return over


def _picking(
    better: Callable[..., NDArray], floats: Callable[..., NDArray], bounds: Callable[[Sequence[Bounds]], Bounds]
) -> Callable[[Sequence[Result]], Result]:
    """Return a choice between two numbers; of signed and unsigned ones that have no type in common, too."""

    def over(parts: Sequence[Result]) -> Result:
        first, second = parts
        between = [part.bounds for part in parts if part.bounds is not None]
        dtype = type_between(bounds(between)) if len(between) == len(parts) else None
        if dtype is None:
            values = floats(first.values.astype(np.float64), second.values.astype(np.float64))
            return Result(values, and_known(known_in_all(parts), np.isfinite(values)), None)
        # numbers of different types are compared exactly, and the one that is taken fits
        taken = better(first.values, second.values)
        values = np.where(taken, first.values.astype(dtype), second.values.astype(dtype))
        return Result(values, known_in_all(parts), bounds(between))

    return over


OPERATIONS = (
    Operation("add", 2, lambda a, b: a + b, np.add, np.add, _added, unit=the_same, wraps=True,
              symbol="+"),
    Operation("subtract", 2, lambda a, b: a - b, np.subtract, np.subtract, _subtracted, unit=the_same, wraps=True,
              symbol="-"),
    Operation("multiply", 2, lambda a, b: a * b, np.multiply, np.multiply, _multiplied, unit=multiplied, wraps=True,
              symbol="*"),
    Operation("divide", 2, lambda a, b: a / b, np.divide, unit=divided, symbol="/"),
    Operation("floor_divide", 2, lambda a, b: a // b, columns=_dividing(np.floor_divide, _quotient_bounds),
              symbol="//"),
    Operation("remainder", 2, lambda a, b: a % b, columns=_dividing(np.remainder, _remainder_bounds), unit=the_same,
              symbol="%"),
    Operation("negate", 1, lambda a: -a, np.negative, np.negative, _negated, unit=the_first, wraps=True, symbol="-"),
    Operation("abs", 1, abs, np.abs, np.abs, _absolute, unit=the_first),
    Operation("min", 2, min, columns=_picking(np.less_equal, np.minimum, _lesser), unit=the_same),
    Operation("max", 2, max, columns=_picking(np.greater_equal, np.maximum, _greater), unit=the_same),
)  # fmt: skip
