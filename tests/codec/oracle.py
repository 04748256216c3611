"""A second, slow way to decode: one bit at a time, with whole numbers and fractions, sharing no code."""

from __future__ import annotations

import math
import struct
from fractions import Fraction


def raw_bits(bit_numbers, payload: bytes) -> int:
    """Read bits one by one, most significant first."""
    raw = 0
    for number in bit_numbers:
        byte = payload[number // 8]
        raw = raw * 2 + (1 if byte & 2 ** (number % 8) else 0)
    return raw


def raw_value(field, payload: bytes) -> int:
    """Return the raw integer; negative for two's complement with its top bit set."""
    raw = raw_bits(field.places.bits, payload)
    if field.kind.value == "signed" and raw >= 2 ** (len(field.places.bits) - 1):
        raw -= 2 ** len(field.places.bits)
    return raw


def physical(field, payload: bytes) -> Fraction | float:
    """Return the exact physical value; a float where it is NaN or infinite."""
    raw = raw_value(field, payload)
    if field.kind.value == "float":
        width = len(field.places.bits) // 8
        number = struct.unpack({2: ">e", 4: ">f", 8: ">d"}[width], raw.to_bytes(width, "big"))[0]
        if math.isnan(number) or math.isinf(number):
            return number
        raw = Fraction(number)
    return raw * field.ratio + field.offset
