"""The unit of an expression's value."""

from __future__ import annotations

from collections.abc import Mapping

from .expression import Expression
from .operations.registry import operations
from .tree import RAW, Name, Node, Number
from .units import Powers, Side, parse_unit


def unit_of(expression: Expression, units: Mapping[str, str]) -> Powers | None:
    """Return the unit of an expression's value; None where a unit is not known.

    Parameters
    ----------
    units
        Unit of each field by name.

    Raises
    ------
    ExpressionError
        If two values with different units are added, subtracted or compared.
    """
    return _unit(expression.tree, units)


def _unit(node: Node, units: Mapping[str, str]) -> Powers | None:
    if isinstance(node, Number):
        return ()
    if isinstance(node, Name):
        return parse_unit(units.get(node.name, ""))
    if node.operation == RAW:
        return ()
    sides = [Side(_unit(argument, units), isinstance(argument, Number)) for argument in node.arguments]
    return operations()[node.operation].unit(sides)
