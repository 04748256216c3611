"""Quantities: numbers with a unit, converted exactly.

Factors are those of the SI brochure (9th edition), the international knot is 1852 m an hour, a bar 100 kPa. A symbol
that is not known here stands for itself, so that whatever a library's fields carry can be compared with the same.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from fractions import Fraction

from .tree import ExpressionError
from .units import Powers, format_unit, parse_unit

_KNOT = Fraction(1852, 3600)
_SYMBOLS: dict[str, tuple[Fraction, Powers]] = {
    "s": (Fraction(1), (("s", 1),)),
    "min": (Fraction(60), (("s", 1),)),
    "h": (Fraction(3600), (("s", 1),)),
    "m": (Fraction(1), (("m", 1),)),
    "kn": (_KNOT, (("m", 1), ("s", -1))),
    "deg": (Fraction(1), (("deg", 1),)),
    "°": (Fraction(1), (("deg", 1),)),
    # the only factor that no fraction says: the nearest float is taken
    "rad": (Fraction(180 / math.pi), (("deg", 1),)),
    "K": (Fraction(1), (("K", 1),)),
    "°C": (Fraction(1), (("K", 1),)),
    "Pa": (Fraction(1), (("Pa", 1),)),
    "bar": (Fraction(100_000), (("Pa", 1),)),
    "V": (Fraction(1), (("V", 1),)),
    "A": (Fraction(1), (("A", 1),)),
    "W": (Fraction(1), (("A", 1), ("V", 1))),
    "N": (Fraction(1), (("N", 1),)),
    "Hz": (Fraction(1), (("s", -1),)),
    "rpm": (Fraction(1, 60), (("s", -1),)),
    "%": (Fraction(1, 100), ()),
}
_POWERS = {"M": 6, "k": 3, "h": 2, "d": -1, "c": -2, "m": -3, "µ": -6, "u": -6, "n": -9}
_TAKE_PREFIX = {"s", "m", "Pa", "V", "A", "W", "N", "Hz", "rad", "bar"}
_ZEROS = {"°C": Fraction(27315, 100)}
"""Where a scale begins, in its base unit."""


@dataclass(frozen=True, slots=True)
class Scale:
    """A unit in base units: ``base = value * factor + zero``."""

    factor: Fraction
    zero: Fraction
    base: Powers


def scale_of(unit: str | Powers | None) -> Scale | None:
    """Return what a unit is in base units; None if it is not made of plain symbols."""
    powers = parse_unit(unit.replace("μ", "µ")) if isinstance(unit, str) else unit
    if powers is None:
        return None
    factor, base = Fraction(1), dict[str, int]()
    for symbol, power in powers:
        one, dimensions = _symbol(symbol)
        factor *= one**power
        for name, exponent in dimensions:
            base[name] = base.get(name, 0) + exponent * power
    zero = _ZEROS.get(powers[0][0], Fraction(0)) if len(powers) == 1 and powers[0][1] == 1 else Fraction(0)
    return Scale(factor, zero, tuple(sorted((name, power) for name, power in base.items() if power)))


def is_known(unit: str) -> bool:
    """Return whether all symbols of a unit are known here."""
    powers = parse_unit(unit.replace("μ", "µ"))
    return powers is not None and all(
        _symbol(symbol)[1] != ((symbol, 1),) or symbol in _SYMBOLS for symbol, _ in powers
    )


def converted(value: Fraction, unit: str, into: str | Powers | None) -> Fraction:
    """Return a value in another unit, exactly.

    Raises
    ------
    ExpressionError
        If the units are of different quantities.
    """
    ours, theirs = scale_of(unit), scale_of(into)
    if ours is None or theirs is None or ours.base != theirs.base:
        raise ExpressionError(f"{unit} cannot be compared with {unit_words(into)}.")
    return (value * ours.factor + ours.zero - theirs.zero) / theirs.factor


_WRITTEN = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(\S*)\s*")


def read_quantity(text: str, into: str) -> Fraction | None:
    """Return a number as typed, with a unit or without, in another unit; None if it is no number.

    Raises
    ------
    ExpressionError
        If its unit is of another quantity, or not known.
    """
    found = _WRITTEN.fullmatch(text)
    return None if found is None else converted(Fraction(found[1]), found[2] or into, into)


def unit_words(unit: str | Powers | None) -> str:
    """Return a unit as a sentence says it."""
    if unit is None:
        return "a unit that is not known"
    return (unit if isinstance(unit, str) else format_unit(unit)) or "a plain number"


def _symbol(symbol: str) -> tuple[Fraction, Powers]:
    if symbol in _SYMBOLS:
        return _SYMBOLS[symbol]
    prefix, rest = symbol[:1], symbol[1:]
    if prefix in _POWERS and rest in _TAKE_PREFIX:
        factor, base = _SYMBOLS[rest]
        return factor * Fraction(10) ** _POWERS[prefix], base
    return Fraction(1), ((symbol, 1),)
