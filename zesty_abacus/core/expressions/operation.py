"""One operation of the language: all that there is to say about it, in one record."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from .units import UnitRule, plain_numbers

Bounds = tuple[int, int]
LOWEST, HIGHEST = -(1 << 63), (1 << 63) - 1
"""What int64 holds."""


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """Values of an expression over many rows.

    Attributes
    ----------
    values : int64 or float64 (n,)
    known : bool (n,), None if all are
    bounds
        Of whole numbers: what they lie between; None for floats.
    """

    values: NDArray
    known: NDArray[np.bool_] | None
    bounds: Bounds | None

    def known_rows(self) -> NDArray[np.bool_]:
        """Return which rows have a value."""
        return np.ones(len(self.values), np.bool_) if self.known is None else self.known

    def whole(self, otherwise: int) -> NDArray[np.int64]:
        """Return the values as int64, cut towards zero, ``otherwise`` where there is none."""
        if self.bounds is None:
            fits = np.isfinite(self.values) & (np.abs(self.values) < 2.0**62)
            values = np.where(fits, self.values, otherwise).astype(np.int64)
        else:
            values = self.values
        return values if self.known is None else np.where(self.known, values, otherwise)


@dataclass(frozen=True, slots=True, eq=False)
class Operation:
    """An operation or function.

    Attributes
    ----------
    name
        Of a function as it is written; of an operator as the grammar calls it.
    takes
        How many arguments.
    exact
        Their value, of exact numbers; raises ArithmeticError or ValueError where there is none.
    floats
        The same over columns of float64.
    whole, bounds
        The same over columns of int64, and what the result lies between, given what each argument lies between. It
        is used as long as the bounds fit 64 bits; None is never.
    columns
        Takes the place of the three above where they cannot say it.
    unit
        The unit of the result; see :mod:`~zesty_abacus.core.expressions.units`.
    is_lazy
        ``exact`` gets functions that give the arguments, or None for a value that is not there, and calls those
        that it needs.
    symbol
        How an operator is written; empty for a function.
    """

    name: str
    takes: int
    exact: Callable[..., Fraction | int | bool | None]
    floats: Callable[..., NDArray] | None = None
    whole: Callable[..., NDArray] | None = None
    bounds: Callable[[Sequence[Bounds]], Bounds] | None = None
    columns: Callable[[Sequence[Result]], Result] | None = None
    unit: UnitRule = plain_numbers
    is_lazy: bool = False
    symbol: str = ""

    def over_columns(self, parts: Sequence[Result]) -> Result:
        """Return the result for every row; not known where an argument is not, or where there is none."""
        if self.columns is not None:
            return self.columns(parts)
        known = known_in_all(parts)
        between = [part.bounds for part in parts if part.bounds is not None]
        if self.whole is not None and self.bounds is not None and len(between) == len(parts):
            bounds = self.bounds(between)
            if bounds[0] >= LOWEST and bounds[1] <= HIGHEST:
                return Result(self.whole(*[part.values for part in parts]), known, bounds)
        assert self.floats is not None, f"{self.name} says nothing about columns"
        values = self.floats(*[part.values.astype(np.float64) for part in parts])
        return Result(values, and_known(known, np.isfinite(values)), None)


def known_in_all(parts: Sequence[Result]) -> NDArray[np.bool_] | None:
    """Return which rows are known in all of some results; None is all."""
    known = None
    for part in parts:
        known = part.known if known is None else known if part.known is None else known & part.known
    return known


def and_known(known: NDArray[np.bool_] | None, more: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
    """Return which rows are known if only ``more`` are besides; None is all."""
    if more.all():
        return known
    return more if known is None else known & more
