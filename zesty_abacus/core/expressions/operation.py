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
HIGHEST_UNSIGNED = (1 << 64) - 1
_SURE = 1 - 2.0**-40
"""By how much a sum in floats, each rounded, has to stay below a power of two for the exact one to be there, too."""


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """Values of an expression over many rows.

    Attributes
    ----------
    values : int64, uint64 or float64 (n,)
        Whole numbers are uint64 where they may be above the highest int64, else int64.
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
            fits = np.isfinite(self.values) & (np.abs(self.values) < 2.0**63)
            values = np.where(fits, self.values, otherwise).astype(np.int64)
        elif self.values.dtype == np.uint64:
            values = np.where(self.values <= HIGHEST, self.values.astype(np.int64), otherwise)
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
        The same over columns of int64, or of uint64, and what the result lies between, given what each argument lies
        between. It is used as long as the bounds fit 64 bits; None is never.
    wraps
        ``whole`` is right modulo 2**64 whatever runs over on the way, as sums and products are; so it is right wherever
        its result fits, and is used beyond the bounds, too.
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
    wraps: bool = False
    symbol: str = ""

    def over_columns(self, parts: Sequence[Result]) -> Result:
        """Return the result for every row; not known where an argument is not, or where there is none."""
        if self.columns is not None:
            return self.columns(parts)
        known = known_in_all(parts)
        between = [part.bounds for part in parts if part.bounds is not None]
        if self.whole is not None and self.bounds is not None and len(between) == len(parts):
            bounds = self.bounds(between)
            arguments = in_one_type(parts, bounds)
            if arguments is not None:
                return whole_result(self.whole(*arguments), known, bounds)
            if self.wraps:
                return self._wrapped(parts, known)
        assert self.floats is not None, f"{self.name} says nothing about columns"
        values = self.floats(*[part.values.astype(np.float64) for part in parts])
        return Result(values, and_known(known, np.isfinite(values)), None)

    def _wrapped(self, parts: Sequence[Result], known: NDArray[np.bool_] | None) -> Result:
        """Return the exact result where the numbers that are there fit 64 bits, though others could run over."""
        assert self.whole is not None and self.floats is not None, "what wraps has both"
        about = self.floats(*[part.values.astype(np.float64) for part in parts])
        values = self.whole(*[part.values.astype(np.int64) for part in parts])
        # a difference of two large floats may be 0 where that of the whole numbers is -1
        about = np.where(np.abs(about) < 2.0**62, values.astype(np.float64), about)
        there = about if known is None else about[known]
        low, high = there.min(initial=0.0), there.max(initial=0.0)
        if low >= 0 and 2.0**63 * _SURE <= high < 2.0**64 * _SURE:
            return Result(values.view(np.uint64), known, (0, HIGHEST_UNSIGNED))
        if max(-low, high) < 2.0**63 * _SURE:
            return Result(values, known, (LOWEST, HIGHEST))
        fits = np.abs(about) < 2.0**63 * _SURE
        return Result(np.where(fits, values.astype(np.float64), about), known, None)


def in_one_type(parts: Sequence[Result], *more: Bounds) -> list[NDArray] | None:
    """Return whole columns in the one type of 64 bits that holds them and what lies between more bounds, if any."""
    between = [*(part.bounds for part in parts if part.bounds is not None), *more]
    assert len(between) == len(parts) + len(more), "floats are not whole"
    low, high = min(low for low, _ in between), max(high for _, high in between)
    dtype = type_between((low, high))
    return None if dtype is None else [part.values.astype(dtype, copy=False) for part in parts]


def type_between(bounds: Bounds) -> np.dtype | None:
    """Return the type of 64 bits that holds all whole numbers between bounds; None if none does."""
    if bounds[0] >= LOWEST and bounds[1] <= HIGHEST:
        return np.dtype(np.int64)
    return np.dtype(np.uint64) if bounds[0] >= 0 and bounds[1] <= HIGHEST_UNSIGNED else None


def constant(value: Fraction, count: int) -> Result:
    """Return a number in every row; the nearest float where it is no whole one of 64 bits."""
    dtype = type_between((int(value), int(value))) if value.denominator == 1 else None
    if dtype is None:
        return Result(np.full(count, float(value)), None, None)
    return Result(np.full(count, int(value), dtype), None, (int(value), int(value)))


def whole_column(values: NDArray, known: NDArray[np.bool_] | None) -> Result:
    """Return numbers of which only the type is known: whole ones lie between what it holds."""
    if values.dtype == np.float64:
        return Result(values, known, None)
    return Result(values, known, (0, HIGHEST_UNSIGNED) if values.dtype == np.uint64 else (LOWEST, HIGHEST))


def whole_result(values: NDArray, known: NDArray[np.bool_] | None, bounds: Bounds) -> Result:
    """Return whole numbers in the type that their bounds ask for."""
    dtype = type_between(bounds)
    assert dtype is not None, "bounds were looked at before"
    return Result(values.astype(dtype, copy=False), known, bounds)


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
