"""Raw numbers to values and back, as expressions of structured text."""

from __future__ import annotations

import itertools

from ...codec.scaling import CommonScale, rounds_once
from ...layouts.fields import Field, FieldKind
from ..carried_fields import CarriedField
from .routine import indented
from .terms import FLOATS, Terms
from .types import floating, raw_type, whole

_WIDEST_FACTOR = 1 << 63


def value_lines(terms: Terms, one: CarriedField, target: str) -> tuple[list[str], list[str]]:
    """Return statements that give ``target`` the value of a field of ``raw``, and what they declare."""
    text = _straight(terms, one)
    field = one.field
    if not field.is_curved:
        return [f"{target} := {text};"], []
    lines = [f"x := {text};"]
    if field.polynomial:
        # in the order in which decoding adds
        total = floating(field.polynomial[-1])
        for coefficient in reversed(field.polynomial[:-1]):
            total = f"{floating(coefficient)} + ({total}) * x"
        return [*lines, f"{target} := {total};"], ["x : LREAL"]
    return [*lines, *_along_table(field, target)], ["x : LREAL"]


def _along_table(field: Field, target: str) -> list[str]:
    """Return statements for straight lines between corners, held at the ends."""
    corners = [(float(corner.x), float(corner.y)) for corner in field.table]
    lines = [f"IF x < {floating(corners[0][0])} THEN", *indented([f"{target} := {floating(corners[0][1])};"])]
    for (x0, y0), (x1, y1) in itertools.pairwise(corners):
        slope = f"({floating(y1)} - {floating(y0)}) / ({floating(x1)} - {floating(x0)})"
        lines += [f"ELSIF x < {floating(x1)} THEN",
                  *indented([f"{target} := {slope} * (x - {floating(x0)}) + {floating(y0)};"])]  # fmt: skip
    return [*lines, "ELSE", *indented([f"{target} := {floating(corners[-1][1])};"]), "END_IF;"]


def float_text(terms: Terms, one: CarriedField, struct: str = "raw") -> str:
    """Return an expression for the IEEE 754 number of a float field."""
    exponent, fraction = FLOATS[one.bits]
    pattern = f"{raw_type(one)}_TO_LWORD({struct}.{one.raw})"
    return f"{terms.helper('float_of')}(bits := {pattern}, exponent_bits := {exponent}, fraction_bits := {fraction})"


def _straight(terms: Terms, one: CarriedField) -> str:
    field, kind = one.field, raw_type(one)
    if field.kind is FieldKind.FLOAT:
        text = float_text(terms, one)
        if (field.ratio, field.offset) != (1, 0):
            text = f"{text} * {floating(field.ratio)} + {floating(field.offset)}"
        return text
    raw = f"raw.{one.raw}"
    number = f"{kind}_TO_LREAL({raw})"
    if (field.ratio, field.offset) == (1, 0):
        return number
    scale = CommonScale.of(field.ratio, field.offset)
    if rounds_once(field):
        number = number if scale.times == 1 else f"{number} * {floating(scale.times)}"
        number = number if not scale.plus else f"{number} + {floating(scale.plus)}"
        return number if scale.over == 1 else f"({number}) / {floating(scale.over)}"
    if max(abs(scale.times), abs(scale.plus), scale.over) < _WIDEST_FACTOR:
        return _nearest(terms, raw, kind, scale)
    # factors of more than 63 bits: within a few units in the last place
    return f"{number} * {floating(field.ratio)} + {floating(field.offset)}"


def _nearest(terms: Terms, raw: str, kind: str, scale: CommonScale) -> str:
    zero = whole(0, kind)
    if kind.startswith("U"):
        size = raw if kind == "ULINT" else f"{kind}_TO_ULINT({raw})"
        negative = "FALSE" if scale.times > 0 else f"{raw} > {zero}"
    else:
        wide = raw if kind == "LINT" else f"{kind}_TO_LINT({raw})"
        size = f"{terms.helper('size_of')}(number := {wide})"
        negative = f"{raw} {'<' if scale.times > 0 else '>'} {zero}"
    return (
        f"{terms.helper('nearest_ratio')}(size := {size}, is_negative := {negative}, "
        f"times := {whole(abs(scale.times), 'ULINT')}, plus := {whole(scale.plus, 'LINT')}, "
        f"over := {whole(scale.over, 'ULINT')})"
    )


def unscaled(field: Field) -> str:
    """Return an expression for the raw number of ``value``, not rounded."""
    text = f"(value - {floating(field.offset)})" if field.offset else "value"
    if field.kind is FieldKind.FLOAT:
        return f"{text} / {floating(field.ratio)}" if field.ratio != 1 else text
    ratio = field.ratio
    if ratio.denominator != 1:
        text = f"{text} * {floating(ratio.denominator)}"
    return text if ratio.numerator == 1 else f"{text} / {floating(ratio.numerator)}"
