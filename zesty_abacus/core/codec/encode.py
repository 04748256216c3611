"""Encoding: values to bits, the inverse of decoding, with an error for what does not fit.

Law: for every raw value a field can hold, decoding and encoding again gives the same bits, save that there
are two zeros in sign and magnitude and in ones' complement; for every value on the field's grid and within
its range, encoding and decoding gives the same value.
:mod:`.messages` puts whole frames together.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..layouts.model import Field, FieldKind
from ..layouts.numbers import format_exact, parse_exact
from .columns import Validity, bits_of
from .scalar import bits_of_float, bits_of_raw, field_range, float_of_bits, nearest_raw, physical_of, raw_of_bits

Value = int | float | Fraction | str | bytes


class EncodeError(MisuseError):
    """A value that the field cannot hold."""


@dataclass(frozen=True, slots=True)
class Encoded:
    """A payload and what it could not say exactly.

    Attributes
    ----------
    payload
    losses
        Wanted minus sent value of each field that had to be rounded, by field name; of an array's item, by
        ``name[item].field``.
    """

    payload: bytes
    losses: dict[str, Fraction]


def raw_of(field: Field, value: Value) -> tuple[int, Fraction]:
    """Return the bits of a value as an unsigned integer, and wanted minus sent value.

    Raises
    ------
    EncodeError
        If the value is of the wrong type or outside what the field can hold.
    """
    if not field.raw_is_number:
        return _content_raw(field, value), Fraction(0)
    if field.kind is FieldKind.FLOAT:
        return _float_raw(field, value)
    raw, loss = whole_of(field, value)
    return bits_of_raw(field, raw), loss


def raw_said(field: Field, value: Value) -> int | None:
    """Return the raw number of a value that is given by a word, as decoding tells it: by its name, or that it is none.

    *Not available* and *fault* are the lowest raw number that says so.
    """
    if not isinstance(value, str):
        return None
    called = field.raw_called(value)
    if called is not None:
        return called
    told = {Validity.NOT_AVAILABLE.words: field.unavailable, Validity.FAULT.words: field.errors}.get(value)
    return told.spans[0][0] if told else None


def whole_of(field: Field, value: Value) -> tuple[int, Fraction]:
    """Return the raw number of a value, and wanted minus sent value; raises as :func:`raw_of`."""
    said = raw_said(field, value)
    if said is not None:
        return said, Fraction(0)
    wanted = exact_of(field, value)
    raw = nearest_raw(field, wanted)
    low, high = field.raw_range()
    loss = wanted - physical_of(field, raw)
    if not low <= raw <= high or (field.is_curved and _is_beyond(field, raw, loss)):
        ends = field_range(field)
        raise EncodeError(
            f"{_text(wanted)} does not fit: it holds {_text(ends[0])} to {_text(ends[1])}"
            f"{' ' + field.unit if field.unit else ''}.",
            where=field.name,
        )
    return raw, loss


def _is_beyond(field: Field, raw: int, loss: Fraction) -> bool:
    """Whether a value lies more than a step away from the nearest one that a curve reaches."""
    low, high = field.raw_range()
    here = physical_of(field, raw)
    neighbours = (max(raw - 1, low), min(raw + 1, high))
    return abs(loss) > max(abs(physical_of(field, one) - here) for one in neighbours)


def raw_column(field: Field, values: NDArray) -> NDArray[np.uint64]:
    """Return the bits of many physical values as unsigned integers, rounded and held at the ends.

    Raises
    ------
    MisuseError
        For a field that follows a curve or is decimal digits; those go one at a time.
    """
    if field.is_curved or field.kind in (FieldKind.BCD, FieldKind.BCD_BYTES):
        raise MisuseError("curves and decimal digits are encoded one value at a time.", where=field.name)
    mask = np.uint64((1 << len(field.places)) - 1)
    turn = mask if field.inverted else np.uint64(0)
    if field.kind is FieldKind.FLOAT:
        dtype = {16: np.float16, 32: np.float32, 64: np.float64}[len(field.places)]
        scaled = (values.astype(np.float64) - float(field.offset)) / float(field.ratio)
        return scaled.astype(dtype).view(f"u{len(field.places) // 8}").astype(np.uint64) ^ turn
    low, high = field.raw_range()
    if np.issubdtype(values.dtype, np.integer) and (field.ratio, field.offset) == (1, 0):
        raw = np.clip(values, low, high)
    else:
        raw = np.clip(np.rint((values.astype(np.float64) - float(field.offset)) / float(field.ratio)), low, high)
    bits = raw.astype(np.int64).view(np.uint64) if low < 0 else raw.astype(np.uint64)
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        sign = np.uint64(1 << (len(field.places) - 1))
        bits = np.abs(raw.astype(np.int64)).view(np.uint64) | np.where(raw < 0, sign, np.uint64(0))
    elif field.kind is FieldKind.ONES_COMPLEMENT:
        bits = np.where(raw < 0, ~-raw.astype(np.int64), raw.astype(np.int64)).view(np.uint64)
    elif field.kind is FieldKind.GRAY:
        bits = bits ^ bits >> np.uint64(1)
    return (bits & mask) ^ turn


def put_raw(matrix: NDArray[np.uint8], field: Field, raw: NDArray[np.uint64]) -> None:
    """Write raw values into the field's bits of each matrix row, leaving all other bits."""
    _put_raw(matrix, np.array(field.places.bits, np.int64), raw)


@njit(cache=True, nogil=True)
def _put_raw(matrix, bits, raw):  # type: ignore[no-untyped-def]
    width = len(bits)
    for row in range(len(raw)):
        for number in range(width):
            byte, inner = bits[number] >> 3, np.uint8(bits[number] & 7)
            one = np.uint8((raw[row] >> np.uint64(width - 1 - number)) & np.uint64(1))
            matrix[row, byte] = (matrix[row, byte] & ~(np.uint8(1) << inner)) | (one << inner)


def put_bits(data: bytearray, field: Field, raw: int) -> None:
    """Write a raw value's bits into a payload, leaving all other bits."""
    width = len(field.places)
    for number, bit in enumerate(field.places):
        one = raw >> (width - 1 - number) & 1
        data[bit // 8] = data[bit // 8] & ~(1 << bit % 8) | one << bit % 8


def get_bits(data: bytes | bytearray, field: Field) -> int:
    """Return a field's bits from a payload that is long enough, most significant first as one number."""
    raw = 0
    for bit in field.places:
        raw = raw << 1 | data[bit // 8] >> bit % 8 & 1
    return raw


def get_value(data: bytes | bytearray, field: Field) -> tuple[int | None, Fraction | None]:
    """Return the raw number and the exact value of a number field; None where there is none."""
    bits = get_bits(data, field)
    if field.kind is FieldKind.FLOAT:
        bits ^= ((1 << len(field.places)) - 1) if field.inverted else 0
        number = float_of_bits(len(field.places), bits)
        finite = number == number and abs(number) != float("inf")
        return bits, physical_of(field, Fraction(number)) if finite else None
    raw = raw_of_bits(field, bits)
    return raw, None if raw is None else physical_of(field, raw)


def exact_of(field: Field, value: Value) -> Fraction:
    """Return a wanted value as an exact number.

    Raises
    ------
    EncodeError
        If it is none.
    """
    try:
        if isinstance(value, str):
            return Fraction(int(value, 16)) if value.lower().startswith("0x") else parse_exact(value)
        if isinstance(value, bytes):
            raise ValueError("bytes are not a number")
        return Fraction(value)
    except (ValueError, TypeError, OverflowError, MisuseError) as error:
        hint = f"It takes {', '.join(n.label for n in field.called)}." if field.called else ""
        raise EncodeError(f"{value!r} is no value for it.", where=field.name, hint=hint) from error


def _float_raw(field: Field, value: Value) -> tuple[int, Fraction]:
    width = len(field.places)
    turn = (1 << width) - 1 if field.inverted else 0
    said = raw_said(field, value)
    if said is None and value == Validity.NOT_AVAILABLE.words:
        said = bits_of_float(width, math.nan)
    if said is not None:
        return said ^ turn, Fraction(0)
    wanted = exact_of(field, value)
    try:
        bits = bits_of_float(width, float((wanted - field.offset) / field.ratio))
    except OverflowError as error:
        raise EncodeError(f"{_text(wanted)} is beyond {width}-bit floating point.", where=field.name) from error
    sent = physical_of(field, Fraction(float_of_bits(width, bits)))
    return bits ^ turn, wanted - sent


def content_bytes(field: Field, value: Value) -> bytes:
    """Return the bytes of a text or raw bytes value.

    Raises
    ------
    EncodeError
        If it cannot be written in the field's encoding or by its code table, or is not hex digits.
    """
    try:
        if isinstance(value, bytes):
            return value
        if field.code is not None:
            bits = _symbol_bits(field, str(value), None)
            return int(bits or "0", 2).to_bytes(len(bits) // 8)
        return bytes.fromhex(str(value)) if field.kind is FieldKind.BYTES else str(value).encode(field.encoding)
    except (ValueError, UnicodeEncodeError) as error:
        raise EncodeError(f"{value!r} cannot be written as {field.kind.words} ({error}).", where=field.name) from error


def _symbol_bits(field: Field, text: str, room: int | None) -> str:
    assert field.code is not None
    try:
        return field.code.write(text, room, field.padding[:1])
    except MisuseError as error:
        raise EncodeError(f"{text!r} cannot be written: {error}", where=field.name) from error


def _content_raw(field: Field, value: Value) -> int:
    width = len(field.places)
    if field.code is not None:
        bits = bits_of(value, field) if isinstance(value, bytes) else _symbol_bits(field, str(value), width)
        number = int(bits[:width].ljust(width, "0"), 2)
        return number ^ ((1 << width) - 1) if field.inverted else number
    room = width // 8
    data = content_bytes(field, value)
    if len(data) > room:
        raise EncodeError(f"{len(data)} bytes do not fit: it holds {room}.", where=field.name)
    if field.kind is FieldKind.TEXT and not field.padding and len(data) < room:
        raise EncodeError(f"{len(data)} bytes do not fill the {room} it has.", where=field.name)
    filling = (field.padding[:1] or "\0").encode("latin-1", "replace") if field.kind is FieldKind.TEXT else b"\0"
    number = int.from_bytes(data.ljust(room, filling), "big")
    return number ^ ((1 << room * 8) - 1) if field.inverted else number


def _text(number: Fraction) -> str:
    return format_exact(number) if number.denominator <= 10**12 else f"{float(number):g}"
