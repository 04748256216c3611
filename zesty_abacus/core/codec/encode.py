"""Encoding: values to bits, the inverse of decoding, with an error for what does not fit.

Law: for every raw value a field can hold, decoding and encoding again gives the same bits; for every
value on the field's grid and within its range, encoding and decoding gives the same value.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..layouts.model import Field, FieldKind, Layout
from ..layouts.numbers import format_exact, parse_exact

_FLOAT_CODES = {16: "e", 32: "f", 64: "d"}
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
        Wanted minus sent value of each field that had to be rounded, by field name.
    """

    payload: bytes
    losses: dict[str, Fraction]


def encode_message(layout: Layout, values: Mapping[str, Value], base: bytes = b"") -> Encoded:
    """Encode one frame.

    Parameters
    ----------
    values
        By field name: numbers, text, names of values, or hex digits for raw bytes. Numbers between two steps
        go to the nearer one and are listed as losses.
    base
        Payload whose bits stay where no value is given; zeros by default.

    Raises
    ------
    EncodeError
        If a field is unknown, a value does not fit, or a field is given that its selector excludes.
    """
    bits = int.from_bytes(base[: layout.size].ljust(layout.size, b"\0"), "little")
    losses: dict[str, Fraction] = {}
    raws: dict[str, int] = {}
    for name, value in values.items():
        field = layout.field_named(name)
        if field is None:
            known = ", ".join(f.name for f in layout.fields) or "no fields"
            raise EncodeError(f"there is no field {name!r}.", where=layout.name, hint=f"It has {known}.")
        raws[name], loss = raw_of(field, value)
        if loss:
            losses[name] = loss
        bits = _put(bits, field, raws[name])
    payload = bits.to_bytes(layout.size, "little")
    _check_selectors(layout, raws, bits)
    return Encoded(payload, losses)


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
        return _float_raw(field, _exact(field, value))
    for named in field.names:
        if named.label == value:
            return named.raw & _mask(field), Fraction(0)
    wanted = _exact(field, value)
    raw = round((wanted - field.offset) / field.ratio)
    low, high = field.raw_range()
    if not low <= raw <= high:
        ends = sorted((low * field.ratio + field.offset, high * field.ratio + field.offset))
        raise EncodeError(
            f"{_text(wanted)} does not fit: it holds {format_exact(ends[0])} to {format_exact(ends[1])}"
            f"{' ' + field.unit if field.unit else ''}.",
            where=field.name,
        )
    return raw & _mask(field), wanted - (raw * field.ratio + field.offset)


def raw_column(field: Field, values: NDArray) -> NDArray[np.uint64]:
    """Return the bits of many physical values as unsigned integers, rounded and held at the ends."""
    if field.kind is FieldKind.FLOAT:
        dtype = {16: np.float16, 32: np.float32, 64: np.float64}[len(field.places)]
        scaled = (values.astype(np.float64) - float(field.offset)) / float(field.ratio)
        pattern = scaled.astype(dtype).view(f"u{len(field.places) // 8}")
        return pattern.astype(np.uint64)
    low, high = field.raw_range()
    if np.issubdtype(values.dtype, np.integer) and (field.ratio, field.offset) == (1, 0):
        raw = np.clip(values, low, high)
    else:
        scaled = (values.astype(np.float64) - float(field.offset)) / float(field.ratio)
        raw = np.clip(np.rint(scaled), low, high)
    return (raw.astype(np.int64).view(np.uint64) if low < 0 else raw.astype(np.uint64)) & np.uint64(_mask(field))


def put_raw(matrix: NDArray[np.uint8], field: Field, raw: NDArray[np.uint64]) -> None:
    """Write raw values into the field's bits of each matrix row, leaving all other bits."""
    width = len(field.places)
    for number, bit in enumerate(field.places):
        byte, inner = divmod(bit, 8)
        ones = ((raw >> np.uint64(width - 1 - number)) & np.uint64(1)).astype(np.uint8)
        matrix[:, byte] = (matrix[:, byte] & np.uint8(255 ^ (1 << inner))) | (ones << np.uint8(inner))


def _put(bits: int, field: Field, raw: int) -> int:
    width = len(field.places)
    for number, bit in enumerate(field.places):
        one = raw >> (width - 1 - number) & 1
        bits = bits & ~(1 << bit) | one << bit
    return bits


def _get(bits: int, field: Field) -> int:
    raw = 0
    for bit in field.places:
        raw = raw << 1 | bits >> bit & 1
    low, high = field.raw_range()
    return raw - (1 << len(field.places)) if low < 0 and raw > high else raw


def _mask(field: Field) -> int:
    return (1 << len(field.places)) - 1


def _exact(field: Field, value: Value) -> Fraction:
    try:
        if isinstance(value, str):
            return Fraction(int(value, 16)) if value.lower().startswith("0x") else parse_exact(value)
        if isinstance(value, bytes):
            raise ValueError("bytes are not a number")
        return Fraction(value)
    except (ValueError, OverflowError, MisuseError) as error:
        hint = f"It takes {', '.join(n.label for n in field.names)}." if field.names else ""
        raise EncodeError(f"{value!r} is no value for it.", where=field.name, hint=hint) from error


def _float_raw(field: Field, wanted: Fraction) -> tuple[int, Fraction]:
    code = _FLOAT_CODES[len(field.places)]
    try:
        data = struct.pack(">" + code, float((wanted - field.offset) / field.ratio))
    except OverflowError as error:
        raise EncodeError(
            f"{_text(wanted)} is beyond {len(field.places)}-bit floating point.", where=field.name
        ) from error
    sent = Fraction(struct.unpack(">" + code, data)[0]) * field.ratio + field.offset
    return int.from_bytes(data, "big"), wanted - sent


def _content_raw(field: Field, value: Value) -> int:
    room = len(field.places) // 8
    try:
        if isinstance(value, bytes):
            data = value
        elif field.kind is FieldKind.BYTES:
            data = bytes.fromhex(str(value))
        else:
            data = str(value).encode(field.encoding)
    except (ValueError, UnicodeEncodeError) as error:
        raise EncodeError(f"{value!r} cannot be written as {field.kind.words} ({error}).", where=field.name) from error
    if len(data) > room:
        raise EncodeError(f"{len(data)} bytes do not fit: it holds {room}.", where=field.name)
    return int.from_bytes(data.ljust(room, b"\0"), "big")


def _check_selectors(layout: Layout, raws: Mapping[str, int], bits: int) -> None:
    for field in layout.fields:
        if field.name not in raws or field.selected is None:
            continue
        selector = layout.field(field.selected.field)
        now = _get(bits, selector)
        if now not in field.selected.values:
            raise EncodeError(
                f"it is not in the frame while {selector.name} is {now}.",
                where=field.name,
                hint=f"Set {selector.name} to {' or '.join(map(str, field.selected.values))}.",
            )


def _text(number: Fraction) -> str:
    return format_exact(number) if number.denominator <= 10**12 else f"{float(number):g}"
