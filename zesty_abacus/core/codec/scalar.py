"""One value at a time, exactly: bits to raw to physical and back, in whole numbers and fractions."""

from __future__ import annotations

import itertools
import math
import struct
from collections.abc import Iterable, Iterator
from fractions import Fraction

import numpy as np

from ..layouts.model import Field, FieldKind

FLOAT_CODES = {16: "e", 32: "f", 64: "d"}


def bits_of_raw(field: Field, raw: int) -> int:
    """Return the bits of a raw value within :meth:`Field.raw_range`, most significant first as one number."""
    width = len(field.places)
    mask = (1 << width) - 1
    bits = raw & mask
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        bits = abs(raw) | (1 << width - 1 if raw < 0 else 0)
    elif field.kind is FieldKind.ONES_COMPLEMENT:
        bits = ~-raw & mask if raw < 0 else raw
    elif field.kind is FieldKind.GRAY:
        bits = raw ^ raw >> 1
    elif field.kind is FieldKind.BCD:
        bits = int(str(raw), 16)
    elif field.kind is FieldKind.BCD_BYTES:
        bits = int.from_bytes(bytes(int(digit) for digit in str(raw)), "big")
    return bits ^ mask if field.inverted else bits


def raw_of_bits(field: Field, bits: int) -> int | None:
    """Return the raw value of bits, None where they are none (a decimal digit above 9)."""
    width = len(field.places)
    mask, sign = (1 << width) - 1, 1 << width - 1 if width else 0
    bits = bits ^ mask if field.inverted else bits
    if field.kind is FieldKind.SIGNED:
        return bits - (mask + 1) if bits & sign else bits
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        return -(bits & ~sign) if bits & sign else bits
    if field.kind is FieldKind.ONES_COMPLEMENT:
        return -(bits ^ mask) if bits & sign else bits
    if field.kind is FieldKind.GRAY:
        raw = 0
        while bits:
            raw ^= bits
            bits >>= 1
        return raw
    if field.kind in (FieldKind.BCD, FieldKind.BCD_BYTES):
        return _digits(f"{bits:x}" if field.kind is FieldKind.BCD else _byte_digits(bits, width // 8))
    return bits


def _digits(text: str) -> int | None:
    return int(text) if text.isdecimal() else None


def _byte_digits(bits: int, count: int) -> str:
    octets = bits.to_bytes(count, "big")
    return "".join(f"{octet & 15:x}" if octet >> 4 in (0, 3) else "?" for octet in octets)


def float_of_bits(width: int, bits: int) -> float:
    """Return the IEEE 754 number of 16, 32 or 64 bits."""
    return struct.unpack(">" + FLOAT_CODES[width], bits.to_bytes(width // 8, "big"))[0]


def bits_of_float(width: int, number: float) -> int:
    """Return the bits of the nearest number of a width; raises OverflowError beyond its range."""
    return int.from_bytes(struct.pack(">" + FLOAT_CODES[width], number), "big")


def physical_of(field: Field, raw: int | Fraction) -> Fraction:
    """Return the exact value of a raw number."""
    return _along(field, raw * field.ratio + field.offset)


def _along(field: Field, x: Fraction) -> Fraction:
    if field.polynomial:
        total = Fraction(0)
        for coefficient in reversed(field.polynomial):
            total = total * x + coefficient
        return total
    if not field.table:
        return x
    corners = field.table
    if x <= corners[0].x:
        return corners[0].y
    for left, right in itertools.pairwise(corners):
        if x <= right.x:
            return left.y + (right.y - left.y) * (x - left.x) / (right.x - left.x)
    return corners[-1].y


def field_range(field: Field) -> tuple[Fraction, Fraction]:
    """Return the lowest and highest value a field's bits can say."""
    values = [physical_of(field, raw) for raw in _raws_around(field, _turns(field))]
    return min(values), max(values)


def nearest_raw(field: Field, wanted: Fraction) -> int:
    """Return the raw number, within 64 bits but perhaps beyond the field, whose value is nearest to the wanted one."""
    if not field.is_curved:
        return round((wanted - field.offset) / field.ratio)
    # where the curve turns is nearest to what it never reaches
    candidates = _raws_around(field, itertools.chain(_turns(field), _before_curve(field, wanted)))
    return min(sorted(candidates), key=lambda raw: abs(physical_of(field, raw) - wanted))


def _raws_around(field: Field, places: Iterable[Fraction]) -> set[int]:
    """Return the ends of a field's raw numbers, and those beside places on the near side of its curve."""
    low, high = field.raw_range()
    found = {low, high}
    for x in places:
        raw = math.floor((x - field.offset) / field.ratio)
        found |= {min(max(one, low), high) for one in (raw, raw + 1)}
    return found


def _turns(field: Field) -> Iterator[Fraction]:
    """Yield where the curve may turn: at the corners of a table, at the roots of a polynomial's slope."""
    yield from (corner.x for corner in field.table)
    if len(field.polynomial) > 2:
        slopes = np.polynomial.polynomial.polyder([float(c) for c in field.polynomial])
        yield from map(Fraction, _roots(list(slopes)))


def _before_curve(field: Field, wanted: Fraction) -> Iterator[Fraction]:
    """Yield where the curve has a value: on each segment of a table, at the real roots of a polynomial."""
    for left, right in itertools.pairwise(field.table):
        if min(left.y, right.y) <= wanted <= max(left.y, right.y) and left.y != right.y:
            yield left.x + (right.x - left.x) * (wanted - left.y) / (right.y - left.y)
    if field.polynomial:
        coefficients = [float(c) for c in field.polynomial]
        coefficients[0] -= float(wanted)
        yield from map(Fraction, _roots(coefficients))


def _roots(coefficients: list[float]) -> list[float]:
    if not all(math.isfinite(c) for c in coefficients) or not any(coefficients[1:]):
        return []
    roots = np.polynomial.polynomial.polyroots(np.trim_zeros(coefficients, "b"))
    return [float(root.real) for root in np.atleast_1d(roots) if abs(root.imag) <= 1e-9 * max(1.0, abs(root.real))]
