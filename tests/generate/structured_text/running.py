"""What structured text does when it is run: an error for everything that a controller may do in its own way.

Whole numbers that leave their type, an index outside an array, a division by zero, and a conversion of a number into a
type that does not hold it are errors.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

INTEGERS = {
    **{name: (-(1 << bits - 1), (1 << bits - 1) - 1) for name, bits in
       (("SINT", 8), ("INT", 16), ("DINT", 32), ("LINT", 64))},
    **{name: (0, (1 << bits) - 1) for name, bits in (("USINT", 8), ("UINT", 16), ("UDINT", 32), ("ULINT", 64))},
}  # fmt: skip
BITS = {"BYTE": 8, "WORD": 16, "DWORD": 32, "LWORD": 64}
LITERAL = "a whole number"
_LIBRARY = {"SQRT": math.sqrt, "EXP": math.exp, "LN": math.log, "LOG": math.log10, "SIN": math.sin, "COS": math.cos,
            "ATAN2": math.atan2, "EXPT": math.pow}  # fmt: skip


class FaultError(Exception):
    """Something that must not come about."""


@dataclass
class Record:
    """A struct, or an instance of a block, with what it holds by name."""

    kind: str
    held: dict[str, Any] = field(default_factory=dict)

    def __getitem__(self, name: str) -> Any:
        return self.held[name]

    def __setitem__(self, name: str, value: Any) -> None:
        self.held[name] = value


def copied(value: Any) -> Any:
    if isinstance(value, list):
        return [copied(one) for one in value]
    if isinstance(value, Record):
        return Record(value.kind, {name: copied(one) for name, one in value.held.items()})
    return value


def called(program: Any, name: str, given: dict[str, Any], outputs: list[tuple[str, Callable[[Any], None]]]) -> Any:
    result, found = program.call(name, given)
    for output, store in outputs:
        store(found[output])
    return result


def held(kind: str, number: int) -> int:
    low, high = INTEGERS[kind]
    if not low <= number <= high:
        raise FaultError(f"{number} does not fit {kind}")
    return number


def divided(kind: str, top: int, below: int) -> int:
    """The quotient, cut towards zero."""
    if below == 0:
        raise FaultError("division by zero")
    quotient = abs(top) // abs(below)
    return held(kind, quotient if (top < 0) == (below < 0) else -quotient)


def rest(kind: str, top: int, below: int) -> int:
    return top - divided(kind, top, below) * below


def float_divided(top: float, below: float) -> float:
    if below == 0:
        raise FaultError("division by zero")
    return top / below


def shifted(bits: int, by: int, width: int) -> int:
    if not 0 <= by <= width:
        raise FaultError(f"a shift by {by}")
    return bits << by & (1 << width) - 1


def shifted_down(bits: int, by: int, width: int) -> int:
    if not 0 <= by <= width:
        raise FaultError(f"a shift by {by}")
    return bits >> by


def item(array: list[Any], index: int) -> Any:
    if not 0 <= index < len(array):
        raise FaultError(f"item {index} of {len(array)}")
    return array[index]


def put(array: list[Any], index: int, value: Any) -> None:
    item(array, index)
    array[index] = value


def cut(number: float, kind: str) -> int:
    if not math.isfinite(number):
        raise FaultError(f"{number} has no whole part")
    return held(kind, int(number))


def converted(value: Any, kind: str, to: str) -> Any:
    """Bits to bits and to whole numbers keep the bits; numbers to numbers keep the number."""
    if "LREAL" in (kind, to) and (kind in BITS or to in BITS):
        raise FaultError("what the bits of a float are is left to each controller")
    if kind not in BITS and to not in BITS:
        return float(value) if to == "LREAL" else held(to, value)
    width = _width(to)
    if value < 0 and width > _width(kind):
        raise FaultError(f"whether {kind}_TO_{to} carries a sign up is left to each controller")
    number = value & (1 << width) - 1
    is_signed = to in INTEGERS and INTEGERS[to][0] < 0
    return number - (1 << width) if is_signed and number >> width - 1 else number


def _width(kind: str) -> int:
    return BITS[kind] if kind in BITS else (INTEGERS[kind][1] - INTEGERS[kind][0]).bit_length()


def library(name: str, *values: float) -> float:
    """A function of LREAL; outside its range is an error, what runs over is infinite."""
    try:
        return _LIBRARY[name](*values)
    except OverflowError:
        return math.inf
    except ValueError as error:
        raise FaultError(f"{name}{values}") from error
