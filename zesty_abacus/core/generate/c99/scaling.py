"""Raw numbers to values and back, as expressions of C."""

from __future__ import annotations

from ...codec.scaling import CommonScale, rounds_once
from ...layouts.fields import Field, FieldKind
from ..carried_fields import CarriedField
from ..errors import CannotCarryError
from .numbers import floating, raw_type, signed, unsigned
from .terms import float_of

_WIDEST_FACTOR = 1 << 63


def value_lines(one: CarriedField) -> list[str]:
    """Return statements that return the value of a field."""
    field = one.field
    if one.has_tens:
        text = _decimal_text(one)
    elif field.kind is FieldKind.FLOAT:
        text = float_of(one)
        if (field.ratio, field.offset) != (1, 0):
            text = f"{text} * {floating(field.ratio)} + {floating(field.offset)}"
    else:
        text = scaled_text(one, f"in->{one.raw}", raw_type(one))
    if not field.is_curved:
        return [f"return {text};"]
    return [f"const double x = {text};", *_curve_lines(field)]


def _decimal_text(one: CarriedField) -> str:
    scale = CommonScale.of(one.field.ratio, one.field.offset)
    if max(abs(scale.times), abs(scale.plus), scale.over) >= _WIDEST_FACTOR:
        raise CannotCarryError(f"{one.field.name} is scaled by more than 63 bits, from characters.")
    sign = "true" if scale.times < 0 else "false"
    return (f"decimal_value(in->{one.raw}, in->{one.tens}, {sign}, {unsigned(abs(scale.times))}, {signed(scale.plus)}, "
            f"{unsigned(scale.over)})")  # fmt: skip


def _curve_lines(field: Field) -> list[str]:
    if field.polynomial:
        # in the order in which decoding adds, and like there nothing comes of what is infinite
        total = f"{floating(field.polynomial[-1])} + x * 0.0"
        for coefficient in reversed(field.polynomial[:-1]):
            total = f"{floating(coefficient)} + ({total}) * x"
        return [f"return {total};"]
    xs = ", ".join(floating(corner.x) for corner in field.table)
    ys = ", ".join(floating(corner.y) for corner in field.table)
    count = len(field.table)
    return [f"static const double xs[{count}] = {{{xs}}};", f"static const double ys[{count}] = {{{ys}}};",
            f"return along_table(x, xs, ys, {count}U);"]  # fmt: skip


def scaled_text(one: CarriedField, raw: str, kind: str) -> str:
    """Return an expression for the nearest double of a raw number, scaled."""
    field = one.field
    if (field.ratio, field.offset) == (1, 0):
        return f"(double){raw}"
    scale = CommonScale.of(field.ratio, field.offset)
    if rounds_once(field):
        text = f"(double){raw}"
        text = text if scale.times == 1 else f"{text} * {floating(scale.times)}"
        text = text if not scale.plus else f"{text} + {floating(scale.plus)}"
        return text if scale.over == 1 else f"({text}) / {floating(scale.over)}"
    if max(abs(scale.times), abs(scale.plus), scale.over) < _WIDEST_FACTOR:
        size, sign = f"(uint64_t){raw}", "false"
        if not kind.startswith("u"):
            size, sign = f"({raw} < 0 ? 0U - (uint64_t){raw} : (uint64_t){raw})", f"{raw} < 0"
        sign = sign if scale.times > 0 else {"false": f"{raw} != 0"}.get(sign, f"{raw} > 0")
        return (
            f"nearest_ratio({size}, {sign}, {unsigned(abs(scale.times))}, {signed(scale.plus)}, {unsigned(scale.over)})"
        )
    # factors of more than 63 bits: within a few units in the last place
    return f"(double){raw} * {floating(field.ratio)} + {floating(field.offset)}"


def unscaled(field: Field) -> str:
    """Return an expression for the raw number of ``value``, not rounded."""
    text = "value"
    if field.offset:
        text = f"({text} - {floating(field.offset)})"
    ratio = field.ratio
    if ratio.denominator != 1:
        text = f"{text} * {floating(ratio.denominator)}"
    return text if ratio.numerator == 1 else f"{text} / {floating(ratio.numerator)}"


def unscaled_float(field: Field) -> str:
    """Return an expression for the float that is held of ``value``."""
    text = f"(value - {floating(field.offset)})" if field.offset else "value"
    return f"{text} / {floating(field.ratio)}" if field.ratio != 1 else text
