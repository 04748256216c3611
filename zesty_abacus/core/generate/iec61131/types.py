"""Types and literals of structured text."""

from __future__ import annotations

from fractions import Fraction

from ..carried_fields import CarriedField
from ..errors import CannotCarryError
from ..lowering import Number64

LARGEST = "LREAL#1.7976931348623157E308"
"""The largest LREAL: what is above it in size is infinite, or no number."""
_TYPES = {Number64.SIGNED: "LINT", Number64.UNSIGNED: "ULINT", Number64.FLOAT: "LREAL"}
_OF_BITS = {8: "SINT", 16: "INT", 32: "DINT", 64: "LINT"}


def type_of(kind: Number64) -> str:
    """Return the type that holds a number of an expression."""
    return _TYPES[kind]


def raw_type(one: CarriedField) -> str:
    """Return the type of a raw number, or of a letter of text and raw bytes."""
    if not one.is_number:
        return "BYTE"
    return _OF_BITS[one.bits] if one.field.is_signed else f"U{_OF_BITS[one.bits]}"


def range_of(kind: str) -> tuple[int, int]:
    """Return the lowest and the highest number of a whole type."""
    bits = next(bits for bits, name in _OF_BITS.items() if name == kind.removeprefix("U"))
    return (0, (1 << bits) - 1) if kind.startswith("U") else (-(1 << bits - 1), (1 << bits - 1) - 1)


def converted(text: str, kind: str, to: str) -> str:
    """Return an expression of one type as another; a conversion between bits and numbers keeps the bits."""
    return text if kind == to else f"{kind}_TO_{to}({text})"


def as_bits(text: str, kind: str) -> str:
    """Return a whole number as LWORD in two's complement; the sign is carried up by the conversion between numbers."""
    wide = "ULINT" if kind.startswith("U") else "LINT"
    return f"{wide}_TO_LWORD({converted(text, kind, wide)})"


def whole(number: int, kind: str) -> str:
    """Return a literal of a whole type."""
    return f"{kind}#{number}"


def bits(number: int) -> str:
    """Return a literal of LWORD."""
    return f"LWORD#16#{number:X}"


def floating(number: Fraction | float) -> str:
    """Return the LREAL nearest to a number as a literal that reads back as that very number.

    Raises
    ------
    CannotCarryError
        If none is: structured text has no word for infinity.
    """
    try:
        text = repr(float(number))
    except OverflowError:
        text = "inf"
    if "inf" in text or "nan" in text:
        raise CannotCarryError("a number is beyond the largest LREAL.")
    mantissa, _, exponent = text.partition("e")
    mantissa = mantissa if "." in mantissa else f"{mantissa}.0"
    return f"LREAL#{mantissa}{f'E{int(exponent)}' if exponent else ''}"


def string(text: str) -> str:
    """Return a literal of STRING; letters beyond ASCII are the bytes that UTF-8 gives them."""
    return "'" + "".join(_letter(octet) for octet in text.encode()) + "'"


def _letter(octet: int) -> str:
    letter = chr(octet)
    if letter in "$'":
        return f"${letter}"
    return letter if 32 <= octet < 127 else f"${octet:02X}"
