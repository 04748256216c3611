"""Expressions over whole columns.

Whole numbers stay whole, as int64 or uint64, as long as 64 bits hold them; beyond that, and for everything scaled,
numbers are float64. Where a value is not there, or the operation has no result for it, the
result is not known.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from .expression import Expression
from .operation import Bounds, Result, constant
from .operations.registry import operations
from .tree import NOTHING, RAW, ExpressionError, Name, Node, Number

Plain = tuple[NDArray, NDArray[np.bool_] | None, Bounds | None]
"""Values, which of them are known (None is all), and the whole numbers they lie between (None for floats)."""


class Names(Protocol):
    """What expressions can name, one value a row."""

    count: int

    def value(self, name: str) -> Plain:
        """Return the values of a name; raises KeyError if nothing has it."""
        ...

    def raw(self, name: str) -> Plain:
        """Return the raw values of a field; raises KeyError if nothing has this name."""
        ...


def evaluate(expression: Expression, names: Names) -> Result:
    """Return the values of an expression for every row.

    Raises
    ------
    ExpressionError
        If a name is not known.
    """
    with np.errstate(all="ignore"):
        return _value(expression.tree, names)


def _value(node: Node, names: Names) -> Result:
    if isinstance(node, Number):
        return constant(node.value, names.count)
    if isinstance(node, Name):
        return _nothing(names) if node.name == NOTHING and not _has(names, NOTHING) else _named(names.value, node.name)
    if node.operation == RAW:
        assert isinstance(node.arguments[0], Name)
        return _named(names.raw, node.arguments[0].name)
    return operations()[node.operation].over_columns([_value(argument, names) for argument in node.arguments])


def _nothing(names: Names) -> Result:
    """Return what is not known in any row."""
    return Result(np.zeros(names.count, np.int64), np.zeros(names.count, np.bool_), (0, 0))


def _has(names: Names, name: str) -> bool:
    try:
        names.value(name)
    except KeyError:
        return False
    return True


def _named(find: Callable[[str], Plain], name: str) -> Result:
    try:
        return Result(*find(name))
    except KeyError as error:
        raise ExpressionError(f"there is no number called {name!r} here.") from error
