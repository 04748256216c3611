"""Bits to raw numbers and values, and back, as expressions of NumPy."""

from __future__ import annotations

from ...codec.scaling import CommonScale, rounds_once
from ...layouts.fields import Field, FieldKind
from ..carried_fields import CarriedField
from .terms import pieces_text, raw_dtype, tuple_text

_READERS = {FieldKind.SIGNED: "_signed", FieldKind.SIGN_MAGNITUDE: "_sign_magnitude",
            FieldKind.ONES_COMPLEMENT: "_ones_complement"}  # fmt: skip


def read_text(one: CarriedField) -> str:
    """Return an expression for raw numbers, of ``rows``."""
    field = one.field
    width = len(field.places)
    bits = f"_bits(rows, {pieces_text(field.places)})"
    if field.inverted:
        bits = f"{bits} ^ np.uint64({(1 << width) - 1})"
    if field.kind in _READERS:
        return f"{_READERS[field.kind]}({bits}, {width})"
    if field.kind is FieldKind.GRAY:
        return f"_gray({bits})"
    if field.kind is FieldKind.BCD:
        return f"_digits({bits}, {width // 4}, 4)"
    if field.kind is FieldKind.BCD_BYTES:
        return f"_digits({bits}, {width // 8}, 8)"
    return bits


def bits_text(one: CarriedField, raw: str) -> str:
    """Return an expression for the bits of raw numbers, uint64."""
    field = one.field
    width = len(field.places)
    mask, sign = (1 << width) - 1, 1 << width - 1
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        text = (
            f"np.where({raw} < 0, np.uint64({sign}), np.uint64(0)) | np.abs({raw}.astype(np.int64)).astype(np.uint64)"
        )
    elif field.kind is FieldKind.ONES_COMPLEMENT:
        text = f"_as_bits(np.where({raw} < 0, {raw}.astype(np.int64) - 1, {raw}.astype(np.int64)), {width})"
    elif field.kind is FieldKind.BCD:
        text = f"_to_digits({raw}.astype(np.uint64), {width // 4}, 4)"
    elif field.kind is FieldKind.BCD_BYTES:
        text = f"_to_digits({raw}.astype(np.uint64), {width // 8}, 8)"
    elif field.kind is FieldKind.GRAY:
        text = f"{raw}.astype(np.uint64) ^ {raw}.astype(np.uint64) >> np.uint64(1)"
    else:
        text = f"_as_bits({raw}, {width})"
    return f"({text}) ^ np.uint64({mask})" if field.inverted else text


def value_text(one: CarriedField) -> str:
    """Return an expression for the values of a field."""
    field, raw = one.field, f"struct.{one.raw}"
    if field.kind is FieldKind.FLOAT:
        text = f"_float({raw}, {one.bits})"
        if (field.ratio, field.offset) != (1, 0):
            text = f"{text} * {float(field.ratio)!r} + {float(field.offset)!r}"
    elif (field.ratio, field.offset) == (1, 0):
        text = f"np.asarray({raw}).astype(np.float64)"
    else:
        scale = CommonScale.of(field.ratio, field.offset)
        function = "_scaled" if rounds_once(field) else "_nearest"
        text = f"{function}({raw}, {scale.times}, {scale.plus}, {scale.over})"
    if field.polynomial:
        return f"_polynomial({text}, {tuple_text(float(one) for one in field.polynomial)})"
    if field.table:
        xs, ys = tuple_text(float(c.x) for c in field.table), tuple_text(float(c.y) for c in field.table)
        return f"_curve({text}, {xs}, {ys})"
    return text


def unscaled(field: Field, value: str) -> str:
    """Return an expression for the raw numbers of values, not rounded."""
    text = f"({value} - {float(field.offset)!r})" if field.offset else value
    if field.kind is FieldKind.FLOAT:
        return f"{text} / {float(field.ratio)!r}" if field.ratio != 1 else text
    text = f"{text} * {float(field.ratio.denominator)!r}" if field.ratio.denominator != 1 else text
    return text if field.ratio.numerator == 1 else f"{text} / {float(field.ratio.numerator)!r}"


def from_bits(one: CarriedField, bits: str) -> str:
    """Return an expression for the raw numbers that bits in two's complement are."""
    width = len(one.field.places)
    if one.field.is_signed:
        return f"_signed({bits}, {width})"
    return f"{bits} & np.uint64({(1 << width) - 1})" if bits == "found" else bits


def assigned(one: CarriedField, number: str, condition: str) -> str:
    """Return a statement that gives a field other raw numbers, where a condition holds."""
    cast = f"np.asarray({number}).astype(np.{raw_dtype(one)})"
    # of a signed and an unsigned type together a float would come
    kept = f"struct.{one.raw}.astype(np.{raw_dtype(one)})"
    return f"struct.{one.raw} = np.where({condition}, {cast}, {kept})" if condition else (
        f"struct.{one.raw} = np.broadcast_to({cast}, (count,))"
    )  # fmt: skip
