"""Values in words: what a person reads about a field or a frame."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np

from ..layouts.model import Field, FieldKind
from .columns import ArrayColumns, CheckState, Decoded, FieldColumn, Validity
from .scalar import physical_of

MINUS = "−"
THIN_SPACE = "\u2009"


def decimals_of(field: Field) -> int:
    """Return how many decimals show every step of a field, at most 6."""
    if field.kind is FieldKind.FLOAT:
        return 3
    if field.is_curved:
        return 3
    for digits in range(7):
        if (field.ratio * 10**digits).denominator == 1 and (field.offset * 10**digits).denominator == 1:
            return digits
    step = abs(float(field.ratio))
    return min(6, max(0, 1 - math.floor(math.log10(step)))) if step else 0


def number_text(value: float | int, decimals: int) -> str:
    """Write a number with a true minus and thin spaces between groups of three digits."""
    if isinstance(value, float):
        if math.isnan(value):
            return "not a number"
        if math.isinf(value):
            return "infinite" if value > 0 else f"{MINUS}infinite"
        if value and (abs(value) >= 1e12 or (abs(value) < 10.0**-decimals / 2 and decimals == 3)):
            return f"{value:.4g}".replace("-", MINUS)
    text = f"{value:,.{decimals}f}" if decimals or isinstance(value, float) else f"{value:,d}"
    if float(text.replace(",", "")) == 0:
        text = text.lstrip("-")
    return text.replace(",", THIN_SPACE).replace("-", MINUS)


def value_text(column: FieldColumn, row: int) -> str:
    """Return a field's value with its unit, its name, or why there is none."""
    field = column.field
    validity = Validity(column.validity[row])
    if not validity.has_value:
        return validity.words
    if column.raw is None or column.value is None:
        return column.text_of(row)
    raw = int(column.raw[row])
    label = field.label_of(raw) if field.names else None
    if label is not None:
        return label
    if field.kind is FieldKind.FLAG:
        return "yes" if raw else "no"
    value = column.value[row].item()
    text = number_text(value, decimals_of(field))
    return f"{text} {field.unit}" if field.unit else text


def frame_sentence(decoded: Decoded, row: int) -> str:
    """Say in one line what a frame means: present fields only, flags by name only when set, arrays by their ends."""
    failed = [column.check.name for column in decoded.checks.values() if column.state[row] == CheckState.DISAGREES]
    parts = [f"{name} disagrees" for name in failed]
    for column in decoded.columns.values():
        validity = Validity(column.validity[row])
        if not validity.is_present or (failed and validity is Validity.CHECK_FAILED):
            if validity is Validity.TOO_SHORT:
                parts.append(f"{column.field.name} too short")
            continue
        if validity is Validity.GOOD and column.field.kind is FieldKind.FLAG and not column.field.names:
            if column.raw is not None and column.raw[row]:
                parts.append(column.field.name)
            continue
        parts.append(f"{column.field.name} {value_text(column, row)}")
        if validity is Validity.OUTSIDE_LIMITS:
            parts[-1] += " (outside limits)"
    if not failed:
        parts += [words for array in decoded.arrays.values() if (words := array_words(array, row))]
    return ", ".join(parts)


def array_words(array: ArrayColumns, row: int) -> str:
    """Say what an array holds in one frame: how many items, and the range of its first numbers; nothing if empty."""
    items = array.rows_of(row)
    count = items.stop - items.start
    if not count:
        return ""
    said = [f"{array.name} ×{count}" if count > 1 or not array.index.shape[1] else array.name]
    for column in list(array.columns.values())[:2]:
        if count == 1 or column.value is None or column.field.names:
            said.append(f"{column.field.name} {value_text(column, items.start)}{' …' if count > 1 else ''}")
        else:
            good = column.plot_values()[items]
            good = good[np.isfinite(good)]
            if len(good):
                said.append(f"{column.field.name} {range_text(good.min(), good.max(), column.field)}")
    return " ".join(said)


def range_text(low: float, high: float, field: Field) -> str:
    """Return a range of values, such as ``−88.4 … 91.2``."""
    if math.isnan(low):
        return "no value"
    digits = decimals_of(field)
    return f"{number_text(float(low), digits)} … {number_text(float(high), digits)}"


def field_range(field: Field) -> tuple[Fraction, Fraction]:
    """Return the lowest and highest value a field's bits can say."""
    if field.table:
        heights = [corner.y for corner in field.table]
        return min(heights), max(heights)
    ends = sorted(physical_of(field, raw) for raw in field.raw_range())
    return ends[0], ends[1]


def places_words(field: Field) -> str:
    """Return kind and order in words, such as ``signed, low byte first``."""
    order = field.places.order_words()
    return f"{field.kind.words}, {order}" if order else field.kind.words
