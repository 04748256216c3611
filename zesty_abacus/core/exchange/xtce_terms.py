"""Comparisons and sums of a space system, as sets of raw values and as expressions."""

from __future__ import annotations

from fractions import Fraction

from ..layouts.model import Field, RawSet
from .result import CannotCarryError, exact_of
from .xml import Element, child


def compared(comparison: Element, field: Field) -> RawSet:
    """Return the raw values for which a comparison holds."""
    text = comparison.get("value", "")
    label = next((named for named in field.names if named.label == text), None)
    value = label.raw if label is not None else _raw(text, field, comparison.get("useCalibratedValue", "true"))
    low, high = field.raw_range()
    operator = comparison.get("comparisonOperator", "==")
    spans = {
        "==": [(value, label.last if label is not None else value)], "!=": [(low, value - 1), (value + 1, high)],
        "<": [(low, value - 1)], "<=": [(low, value)], ">": [(value + 1, high)], ">=": [(value, high)],
    }  # fmt: skip
    if operator not in spans:
        raise CannotCarryError(f"the comparison {operator} is not known.")
    return RawSet((first, last) for first, last in spans[operator] if first <= last)


def _raw(text: str, field: Field, calibrated: str) -> int:
    flags = {"true": Fraction(1), "false": Fraction(0)}
    value = flags[text.lower()] if text.lower() in flags else exact_of(text)
    if calibrated != "false":
        value = (value - field.offset) / field.ratio
    if value.denominator != 1:
        raise CannotCarryError(f"the value {text} of its condition is between two raw values.")
    return value.numerator


def common(first: RawSet, second: RawSet) -> RawSet:
    """Return the raw values that are in both sets."""
    pairs = ((max(a, c), min(b, d)) for a, b in first.spans for c, d in second.spans)
    return RawSet((low, high) for low, high in pairs if low <= high)


def linear(name: str, slope: int, intercept: int) -> str:
    """Return a name times a slope and an intercept as an expression says it."""
    text = f"{name} * {slope}" if slope != 1 else name
    return f"{text} + {intercept}" if intercept else text


def adjustment(dynamic: Element) -> tuple[int, int]:
    """Return slope and intercept of what a parameter tells; raises CannotCarryError for fractions."""
    adjustment = child(dynamic, "LinearAdjustment")
    if adjustment is None:
        return 1, 0
    slope, intercept = exact_of(adjustment.get("slope", "1")), exact_of(adjustment.get("intercept", "0"))
    if slope.denominator != 1 or intercept.denominator != 1:
        raise CannotCarryError("its length is told in fractions.")
    return slope.numerator, intercept.numerator
