"""Units carried through expressions: ``V`` times ``A`` is ``V·A``; adding metres to volts is an error.

Units are products of powers of whatever symbols people write; no table of quantities is needed to see that
two sides of a plus differ. Each operation names the rule that gives the unit of its result.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from .tree import ExpressionError

Powers = tuple[tuple[str, int], ...]
"""Symbols with their powers, in order of symbol; empty is a plain number."""

_FACTOR = re.compile(r"([^\d\s*/·^]+)(?:\^?(-?\d))?")


@dataclass(frozen=True, slots=True)
class Side:
    """An argument: its unit, None if not known, and whether it is a number as written, which goes with any unit."""

    unit: Powers | None
    is_literal: bool = False


UnitRule = Callable[[Sequence[Side]], Powers | None]
"""The unit of a result, None where it is not known; raises ExpressionError where the sides do not go together."""


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


def _ordered(powers: Mapping[str, int]) -> Powers:
    return tuple(sorted((symbol, power) for symbol, power in powers.items() if power))


# the rules


def plain_numbers(sides: Sequence[Side]) -> Powers | None:
    """Give a plain number if all sides are plain numbers, else nothing that is known."""
    return () if all(side.unit == () for side in sides) else None


def the_first(sides: Sequence[Side]) -> Powers | None:
    """Keep the unit of the first side."""
    return sides[0].unit


def the_same(sides: Sequence[Side]) -> Powers | None:
    """Keep the unit that all sides have; a number as written may stand beside any.

    Raises
    ------
    ExpressionError
        If two sides differ.
    """
    known = {side.unit for side in sides if side.unit is not None and not side.is_literal}
    if len(known) > 1:
        words = " and ".join(sorted(format_unit(powers) or "a plain number" for powers in known))
        raise ExpressionError(f"it puts {words} together.", hint="Scale one of them first.")
    return next(iter(known), ())


def compared(sides: Sequence[Side]) -> Powers | None:
    """Give a plain number, of sides that must have the same unit; raises as :func:`the_same`."""
    the_same(sides)
    return ()


def multiplied(sides: Sequence[Side]) -> Powers | None:
    """Add the powers up."""
    return _times(sides, 1)


def divided(sides: Sequence[Side]) -> Powers | None:
    """Take the powers of the second side from those of the first."""
    return _times(sides, -1)


def halved(sides: Sequence[Side]) -> Powers | None:
    """Halve the powers, where they can be halved."""
    unit = sides[0].unit
    if unit is not None and all(power % 2 == 0 for _, power in unit):
        return tuple((symbol, power // 2) for symbol, power in unit)
    return None


def _times(sides: Sequence[Side], sign: int) -> Powers | None:
    first, second = sides[0].unit, sides[1].unit
    if first is None or second is None:
        return None
    powers = dict(first)
    for symbol, power in second:
        powers[symbol] = powers.get(symbol, 0) + sign * power
    return _ordered(powers)
