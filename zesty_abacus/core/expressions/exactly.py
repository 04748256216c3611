"""The value of an expression of single numbers, exact except for roots, logarithms and angles."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from functools import partial

from .expression import Expression
from .operation import Operation
from .operations.registry import operations
from .tree import NOTHING, RAW, Call, ExpressionError, Name, Node, Number


def evaluate_exactly(
    expression: Expression, values: Mapping[str, Fraction | None], raws: Mapping[str, int] | None = None
) -> Fraction | None:
    """Return the value of an expression.

    Parameters
    ----------
    values
        By name; None is a value that is not there, and makes the result None.
    raws
        Raw values by name, for ``raw()``.

    Raises
    ------
    ExpressionError
        If a name is unknown, or the numbers have no result (division by zero, root of a negative number).
    """
    return evaluate_node_exactly(expression.tree, values, raws or {})


def evaluate_node_exactly(
    node: Node, values: Mapping[str, Fraction | None], raws: Mapping[str, int]
) -> Fraction | None:
    """Return the value of a part of an expression; as :func:`evaluate_exactly`."""
    if isinstance(node, Number):
        return node.value
    if isinstance(node, Name):
        if node.name not in values and node.name == NOTHING:
            return None
        if node.name not in values:
            raise ExpressionError(f"there is no value for {node.name!r}.")
        return values[node.name]
    if node.operation == RAW:
        (name,) = node.arguments
        assert isinstance(name, Name)
        return None if raws.get(name.name) is None else Fraction(raws[name.name])
    operation = operations()[node.operation]
    given = [partial(evaluate_node_exactly, argument, values, raws) for argument in node.arguments]
    return _lazily(operation, given) if operation.is_lazy else _eagerly(operation, node, given)


def _lazily(operation: Operation, given: list[partial[Fraction | None]]) -> Fraction | None:
    found = operation.exact(*given)
    return None if found is None else Fraction(found)


def _eagerly(operation: Operation, node: Call, given: list[partial[Fraction | None]]) -> Fraction | None:
    parts = [part() for part in given]
    if any(part is None for part in parts):
        return None
    try:
        found = operation.exact(*parts)
        return None if found is None else Fraction(found)
    except (ArithmeticError, ValueError) as error:
        numbers = " and ".join(str(float(part)) for part in parts if part is not None)
        raise ExpressionError(f"{node.operation.replace('_', ' ')} of {numbers} has no value.") from error
