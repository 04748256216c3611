"""What a slider of a field can be put to: values that its bits hold exactly."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ..codec.scalar import physical_of
from ..layouts.fields import Field, FieldKind

_MOST_STOPS = 1000
"""More cannot be told apart by a hand; then not every raw value has a stop."""
_FLOAT_STOPS = 200


@dataclass(frozen=True, slots=True)
class Stops:
    """Values at equal distances.

    Attributes
    ----------
    low, step
        The first value, and how far the next one is.
    count
        How many values there are.
    """

    low: Fraction
    step: Fraction
    count: int

    def value(self, stop: int) -> Fraction:
        """Return the value of a stop, counted from 0."""
        return self.low + self.step * stop

    def nearest(self, value: Fraction) -> int:
        """Return the stop that is nearest to a value."""
        return min(max(round((value - self.low) / self.step), 0), self.count - 1)


def stops_of(field: Field) -> Stops | None:
    """Return the stops of a field: from its lower to its upper limit, or over all that its bits hold.

    None for what is no number on equal steps: names, texts, curves, a float without limits.
    """
    if not field.kind.is_number or not field.places.bits or field.names or field.is_curved:
        return None
    if field.kind is FieldKind.FLOAT:
        return _of_float(field)
    low, high = field.low, field.high
    ends = sorted(physical_of(field, Fraction(raw)) for raw in field.raw_range())
    step = abs(field.ratio)
    low = ends[0] if low is None else ends[0] - (ends[0] - max(low, ends[0])) // step * step
    steps = (min(high, ends[1]) if high is not None else ends[1]) - low
    if steps <= 0:
        return None
    every = -(-(steps // step) // _MOST_STOPS) or 1
    return Stops(low, step * every, int(steps // (step * every)) + 1)


def _of_float(field: Field) -> Stops | None:
    low, high = field.low, field.high
    if low is None or high is None or low >= high:
        return None
    return Stops(low, (high - low) / _FLOAT_STOPS, _FLOAT_STOPS + 1)
