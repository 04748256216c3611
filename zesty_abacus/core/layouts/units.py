"""Units carried through expressions: ``V`` times ``A`` is ``V·A``; adding metres to volts is an error.

Units are products of powers of whatever symbols people write; no table of quantities is needed to see that
two sides of a plus differ.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from .expressions import Call, Expression, ExpressionError, Name, Node, Number

Powers = tuple[tuple[str, int], ...]
"""Symbols with their powers, in order of symbol; empty is a plain number."""

_FACTOR = re.compile(r"([^\d\s*/·^]+)(?:\^?(-?\d))?")
_KEEPS_UNIT = {"add", "subtract", "remainder", "min", "max", "==", "!=", "<", "<=", ">", ">="}
_COMPARES = {"==", "!=", "<", "<=", ">", ">="}


def parse_unit(text: str) -> Powers | None:
    """Return the powers of a unit such as ``m/s^2`` or ``V·A``; None if it is not made of plain symbols."""
    powers: dict[str, int] = {}
    sign = 1
    for part in re.split(r"\s*([*/·])\s*", text.strip()) if text.strip() else ():
        if part in "*·/" and len(part) == 1:
            sign = -1 if part == "/" else 1
            continue
        match = _FACTOR.fullmatch(part)
        if match is None:
            if part == "1":
                continue
            return None
        powers[match[1]] = powers.get(match[1], 0) + sign * int(match[2] or 1)
    return _ordered(powers)


def format_unit(powers: Powers) -> str:
    """Return a unit in words, such as ``V·A`` or ``m/s^2``."""
    above = "·".join(symbol if power == 1 else f"{symbol}^{power}" for symbol, power in powers if power > 0)
    below = "/".join(symbol if power == -1 else f"{symbol}^{-power}" for symbol, power in powers if power < 0)
    return f"{above or '1'}/{below}" if below else above


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


def _ordered(powers: Mapping[str, int]) -> Powers:
    return tuple(sorted((symbol, power) for symbol, power in powers.items() if power))


def _times(first: Powers, second: Powers, sign: int) -> Powers:
    powers = dict(first)
    for symbol, power in second:
        powers[symbol] = powers.get(symbol, 0) + sign * power
    return _ordered(powers)


def _unit(node: Node, units: Mapping[str, str]) -> Powers | None:
    if isinstance(node, Number):
        return ()
    if isinstance(node, Name):
        return parse_unit(units.get(node.name, ""))
    if node.operation == "raw":
        return ()
    inner = [_unit(argument, units) for argument in node.arguments]
    if node.operation in _KEEPS_UNIT or node.operation == "if":
        return _same(node, inner)
    if node.operation in ("multiply", "divide") and inner[0] is not None and inner[1] is not None:
        return _times(inner[0], inner[1], 1 if node.operation == "multiply" else -1)
    if node.operation in ("negate", "abs", "floor", "ceil", "round"):
        return inner[0]
    if node.operation == "sqrt" and inner[0] is not None and all(power % 2 == 0 for _, power in inner[0]):
        return tuple((symbol, power // 2) for symbol, power in inner[0])
    return None if None in inner or any(inner) else ()


def _same(node: Call, inner: list[Powers | None]) -> Powers | None:
    """Check both sides of a sum or comparison; a bare number may stand beside any unit."""
    arguments = list(zip(node.arguments, inner, strict=True))[1 if node.operation == "if" else 0 :]
    known = {powers for argument, powers in arguments if powers is not None and not isinstance(argument, Number)}
    if len(known) > 1:
        sides = " and ".join(sorted(format_unit(powers) or "a plain number" for powers in known))
        raise ExpressionError(f"it puts {sides} together.", hint="Scale one of them first.")
    if node.operation in _COMPARES:
        return ()
    return next(iter(known), ())
