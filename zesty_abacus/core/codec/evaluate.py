"""Expressions over whole columns.

Whole numbers stay whole, as int64, as long as the widest values the bits can hold fit; beyond that, and for
everything scaled, numbers are float64. Where a value is not there, or the operation has no result for it, the
result is not known.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..layouts.expressions import MAX_POWER, Call, Expression, ExpressionError, Name, Node, Number
from .scope import Scope

_LOW, _HIGH = -(1 << 63), (1 << 63) - 1
_FULL = (_LOW, _HIGH)


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """Values of an expression.

    Attributes
    ----------
    values : int64 or float64 (n,)
    known : bool (n,), None if all are
    bounds
        Of whole numbers: what they lie between; None for floats.
    """

    values: NDArray
    known: NDArray[np.bool_] | None
    bounds: tuple[int, int] | None

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


def evaluate(expression: Expression, scope: Scope) -> Result:
    """Return the values of an expression for every row of a scope.

    Raises
    ------
    ExpressionError
        If a name is not known in the scope.
    """
    with np.errstate(all="ignore"):
        return _value(expression.tree, scope)


def _value(node: Node, scope: Scope) -> Result:
    if isinstance(node, Number):
        return _literal(node, scope.count)
    if isinstance(node, Name):
        return _named(scope.value, node.name)
    if node.operation == "raw":
        assert isinstance(node.arguments[0], Name)
        return _named(scope.raw, node.arguments[0].name)
    parts = [_value(argument, scope) for argument in node.arguments]
    return _operate(node, parts)


def _literal(node: Number, count: int) -> Result:
    if node.value.denominator == 1 and _LOW <= node.value <= _HIGH:
        whole = int(node.value)
        return Result(np.full(count, whole, np.int64), None, (whole, whole))
    return Result(np.full(count, float(node.value)), None, None)


def _named(find: Callable, name: str) -> Result:
    try:
        return Result(*find(name))
    except KeyError as error:
        raise ExpressionError(f"there is no number called {name!r} here.") from error


def _operate(node: Call, parts: list[Result]) -> Result:
    operation = node.operation
    if operation == "if":
        return _choose(*parts)
    known = _both([part.known for part in parts])
    if operation in _BITS:
        return _bit_operation(operation, parts, known)
    if operation in _LOGIC:
        truth = _LOGIC[operation](*[part.values for part in parts])
        return Result(truth.astype(np.int64), known, (0, 1))
    if operation in _WHOLE and all(part.bounds is not None for part in parts):
        found = _whole_operation(operation, parts, known)
        if found is not None:
            return found
    values = _FLOATS[operation](*[part.values.astype(np.float64) for part in parts])
    return Result(values, _and(known, np.isfinite(values)), None)


def _both(parts: list[NDArray[np.bool_] | None]) -> NDArray[np.bool_] | None:
    known = None
    for part in parts:
        known = part if known is None else known if part is None else known & part
    return known


def _and(known: NDArray[np.bool_] | None, more: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
    if more.all():
        return known
    return more if known is None else known & more


def _choose(condition: Result, yes: Result, no: Result) -> Result:
    truth = condition.values != 0
    known = np.where(truth, yes.known_rows(), no.known_rows()) & condition.known_rows()
    if yes.bounds is not None and no.bounds is not None:
        bounds = min(yes.bounds[0], no.bounds[0]), max(yes.bounds[1], no.bounds[1])
        return Result(np.where(truth, yes.values, no.values), _and(None, known), bounds)
    values = np.where(truth, yes.values.astype(np.float64), no.values.astype(np.float64))
    return Result(values, _and(None, known), None)


def _whole_operation(operation: str, parts: list[Result], known: NDArray[np.bool_] | None) -> Result | None:
    """Return a whole result, or None where it might not fit 64 bits."""
    if operation in ("floor_divide", "remainder"):
        return _whole_division(operation, parts, known)
    corners = _corners(operation, [part.bounds for part in parts if part.bounds is not None])
    if min(corners) < _LOW or max(corners) > _HIGH:
        return None
    return Result(_WHOLE[operation](*[part.values for part in parts]), known, (min(corners), max(corners)))


def _corners(operation: str, bounds: list[tuple[int, int]]) -> list[int]:
    (a, b), (c, d) = bounds[0], bounds[-1]
    if operation == "add":
        return [a + c, b + d]
    if operation == "subtract":
        return [a - d, b - c]
    if operation == "multiply":
        return [a * c, a * d, b * c, b * d]
    if operation == "negate":
        return [-b, -a]
    if operation == "abs":
        return [0, max(abs(a), abs(b))]
    if operation in ("min", "max"):
        return [min(a, c), max(b, d)]
    return [a, b]


def _whole_division(operation: str, parts: list[Result], known: NDArray[np.bool_] | None) -> Result:
    top, below = parts
    assert top.bounds is not None and below.bounds is not None
    nonzero = below.values != 0
    safe = np.where(nonzero, below.values, 1)
    if operation == "remainder":
        size = max(abs(below.bounds[0]), abs(below.bounds[1]), 1)
        return Result(top.values % safe, _and(known, nonzero), (-size, size))
    size = max(abs(top.bounds[0]), abs(top.bounds[1]))
    return Result(top.values // safe, _and(known, nonzero), (-size, min(size, _HIGH)))


def _bit_operation(operation: str, parts: list[Result], known: NDArray[np.bool_] | None) -> Result:
    whole = []
    for part in parts:
        if part.bounds is None:
            known = _and(known, (part.values == np.rint(part.values)) & (np.abs(part.values) < 2.0**63))
        whole.append(part.whole(0))
    bounds = [part.bounds or _FULL for part in parts]
    if operation in ("left", "right"):
        return _shift(operation, whole, bounds, known)
    lowest, highest = min(low for low, _ in bounds), max(high for _, high in bounds)
    width = max(lowest.bit_length(), highest.bit_length())
    reach = (0, (1 << width) - 1) if lowest >= 0 and operation != "bit_not" else (-(1 << width), (1 << width) - 1)
    return Result(_BITS[operation](*whole), known, (max(reach[0], _LOW), min(reach[1], _HIGH)))


def _shift(
    operation: str, whole: list[NDArray[np.int64]], bounds: list[tuple[int, int]], known: NDArray[np.bool_] | None
) -> Result:
    by = np.clip(whole[1], 0, 63)
    known = _and(known, by == whole[1])
    (low, high), most = bounds[0], min(max(bounds[1][1], 0), 63)
    if operation == "right":
        return Result(whole[0] >> by, known, (min(low, 0), max(high, 0)))
    if low << most < _LOW or high << most > _HIGH:
        values = whole[0] * np.exp2(by.astype(np.float64))
        return Result(values, known, None)
    return Result(whole[0] << by, known, (min(low << most, low), max(high << most, high)))


def _power(base: NDArray, exponent: NDArray) -> NDArray:
    return np.where(np.abs(exponent) <= MAX_POWER, np.power(base, exponent), np.nan)


_BITS: dict[str, Callable] = {
    "bit_or": np.bitwise_or, "bit_xor": np.bitwise_xor, "bit_and": np.bitwise_and, "bit_not": np.bitwise_not,
    "left": np.left_shift, "right": np.right_shift,
}  # fmt: skip
_LOGIC: dict[str, Callable] = {
    "==": np.equal, "!=": np.not_equal, "<": np.less, "<=": np.less_equal, ">": np.greater,
    ">=": np.greater_equal, "and_": np.logical_and, "or_": np.logical_or, "not_": np.logical_not,
}  # fmt: skip
_WHOLE: dict[str, Callable] = {
    "add": np.add, "subtract": np.subtract, "multiply": np.multiply, "negate": np.negative, "abs": np.abs,
    "min": np.minimum, "max": np.maximum, "floor_divide": np.floor_divide, "remainder": np.remainder,
    "floor": np.positive, "ceil": np.positive, "round": np.positive,
}  # fmt: skip
_FLOATS: dict[str, Callable] = {
    "add": np.add, "subtract": np.subtract, "multiply": np.multiply, "divide": np.divide, "negate": np.negative,
    "abs": np.abs, "min": np.minimum, "max": np.maximum, "floor_divide": np.floor_divide,
    "remainder": np.remainder, "floor": np.floor, "ceil": np.ceil, "round": np.rint, "sqrt": np.sqrt,
    "exp": np.exp, "pow": _power, "log": np.log, "log10": np.log10, "sin": np.sin, "cos": np.cos, "atan2": np.arctan2,
}  # fmt: skip
