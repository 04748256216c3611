"""Values in words: what a person reads about a field or a frame."""

from __future__ import annotations

import math

import numpy as np

from ..layouts.model import Field, FieldKind
from .columns import ArrayColumns, CheckState, Decoded, FieldColumn, Validity
from .scalar import field_range as field_range

MINUS = "−"
THIN_SPACE = "\u2009"


def decimals_of(field: Field) -> int:
    """Return how many decimals show every step of a field, at most 6."""
    if field.kind is FieldKind.FLOAT:
        return 3
    if field.is_curved:
        return 2
    for digits in range(5):
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
    label = field.label_of(raw) if field.called else None
    if label is not None:
        return label
    value = column.value[row].item()
    text = number_text(value, decimals_of(field) if len(field.places) else _free_decimals(value))
    return f"{text} {field.unit}" if field.unit else text


def _free_decimals(value: float | int) -> int:
    """Return decimals for a value that no step of bits stands behind: five digits in all, no zeros at the end."""
    if isinstance(value, int) or not math.isfinite(value) or not value:
        return 0
    digits = max(0, 4 - math.floor(math.log10(abs(value))))
    return len(f"{value:.{min(digits, 6)}f}".rstrip("0").partition(".")[2])


def frame_sentence(decoded: Decoded, row: int) -> str:
    """Say in one line what a frame means.

    Present fields only, flags by name only when set, arrays by their range; the fields that hold a check are left
    out, a check that disagrees is said first, and then nothing else, since nothing else may be believed.
    """
    failed = [one for one in decoded.checks.values() if one.state[row] == CheckState.DISAGREES]
    parts = [f"{one.check.name} disagrees" for one in failed]
    silent = {one for check in decoded.checks.values() for one in check.check.held_by()}
    spoilt = False
    for key, column in decoded.columns.items():
        validity = Validity(column.validity[row])
        spoilt |= validity is Validity.CHECK_FAILED
        if key not in silent and validity is not Validity.CHECK_FAILED:
            parts += _field_words(column, row, validity)
    if spoilt and not failed:
        parts.insert(0, "check of the link failed")
    if not spoilt:
        parts += [words for array in decoded.arrays.values() if (words := array_words(array, row))]
    return ", ".join(parts)


def _field_words(column: FieldColumn, row: int, validity: Validity) -> list[str]:
    name = column.field.name
    if validity is Validity.TOO_SHORT:
        return [f"{name} too short"]
    if not validity.is_present:
        return []
    if validity is Validity.GOOD and column.field.kind is FieldKind.FLAG and not column.field.names:
        return [name] if column.raw is not None and column.raw[row] else []
    outside = " (outside limits)" if validity is Validity.OUTSIDE_LIMITS else ""
    return [f"{name} {value_text(column, row)}{outside}"]


def array_words(array: ArrayColumns, row: int) -> str:
    """Say what an array holds in one frame: how many items, and the range of its numbers; nothing if empty."""
    items = array.rows_of(row)
    count = items.stop - items.start
    if not count:
        return ""
    if array.lists:
        return f"{array.name} ×{count}"
    said = [f"{array.name} ×{count}" if count > 1 else array.name]
    for column in list(array.columns.values())[:3]:
        if count == 1 or column.value is None or column.field.names:
            said.append(f"{column.field.name} {value_text(column, items.start)}{' …' if count > 1 else ''}")
        else:
            said.append(spread_words(column, items))
    return " ".join(part for part in said if part)


def spread_words(column: FieldColumn, rows: slice = slice(None)) -> str:
    """Return name, range and unit of a column's good values, nothing if there are none."""
    good = column.plot_values()[rows]
    good = good[np.isfinite(good)]
    if not len(good):
        return ""
    unit = f" {column.field.unit}" if column.field.unit else ""
    return f"{column.field.name} {range_text(good.min(), good.max(), column.field)}{unit}"


def range_text(low: float, high: float, field: Field) -> str:
    """Return a range of values, such as ``−88.4 … 91.2``; of one value that alone."""
    if math.isnan(low):
        return "no value"
    digits = decimals_of(field) if len(field.places) else max(map(_free_decimals, (float(low), float(high))))
    first, last = number_text(float(low), digits), number_text(float(high), digits)
    return first if low == high else f"{first} … {last}"


def places_words(field: Field) -> str:
    """Return kind and order in words, such as ``signed, low byte first``."""
    order = field.places.order_words()
    if not field.raw_is_number and order == "high byte first":
        order = ""
    return f"{field.kind.words}, {order}" if order else field.kind.words
