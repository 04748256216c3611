"""Types and literals."""

from __future__ import annotations

from fractions import Fraction

from ..carried_fields import CarriedField
from ..lowering import Number64

_TYPES = {Number64.SIGNED: "int64_t", Number64.UNSIGNED: "uint64_t", Number64.FLOAT: "double"}
_LOWEST = -(1 << 63)


def type_of(kind: Number64) -> str:
    """Return the type that holds a number of an expression."""
    return _TYPES[kind]


def raw_type(one: CarriedField) -> str:
    """Return the type of a raw number, or of a letter of text and raw bytes."""
    if not one.is_number:
        return "uint8_t"
    return f"{'int' if one.is_signed else 'uint'}{one.bits}_t"


def range_of(kind: str) -> tuple[int, int]:
    """Return the lowest and the highest number of a whole type."""
    bits = int(kind.strip("uint_"))
    return (0, (1 << bits) - 1) if kind.startswith("u") else (-(1 << bits - 1), (1 << bits - 1) - 1)


def word_type(one: CarriedField) -> str:
    """Return the type that bits are put together in: small machines have none of 64 bits."""
    return "uint64_t" if one.bits == 64 else "uint32_t"


def unsigned(number: int, bits: int = 64) -> str:
    """Return a literal of the type that has so many bits."""
    digits = f"0x{number:X}" if number > 9 else str(number)
    return f"UINT64_C({digits})" if bits > 32 else f"{digits}U"


def signed(number: int) -> str:
    """Return a literal of int64_t; the lowest number has none of its own."""
    if number == _LOWEST:
        return f"(-INT64_C({-(number + 1)}) - 1)"
    return f"INT64_C({number})" if number >= 0 else f"(-INT64_C({-number}))"


def of_type(number: int, kind: str) -> str:
    """Return a whole number as a literal that compares with a type without a warning."""
    bits = int(kind.strip("uint_")) if kind != "double" else 64
    if kind.startswith("u"):
        return unsigned(number, bits)
    if bits == 64:
        return signed(number)
    if number == -(1 << 31):
        return "(-INT32_C(2147483647) - 1)"
    return f"INT32_C({number})" if number >= 0 else f"(-INT32_C({-number}))"


def floating(number: Fraction | float) -> str:
    """Return the double nearest to a number as a literal that reads back as that very double."""
    try:
        value = float(number)
    except OverflowError:
        value = float("inf") if number > 0 else float("-inf")
    if value in (float("inf"), float("-inf")):
        return "HUGE_VAL" if value > 0 else "(-HUGE_VAL)"
    text = repr(value)
    text = text if any(sign in text for sign in ".e") else f"{text}.0"
    return f"({text})" if value < 0 or text.startswith("-") else text
