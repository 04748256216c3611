"""The hand that takes a curve of the score by its corners."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPointF, QRectF

from ...app.doors import going

_REACH_PX = 7.0
_WHOLE_PX = 160.0
"""So far the pointer goes, beyond the row, to change a value by all that its curve spans."""
_FINE = 0.1


@dataclass(frozen=True, slots=True)
class Curve:
    """A feed as it is drawn.

    Attributes
    ----------
    message, field, feed
    row
        Where.
    since_s
        How long it goes on.
    low, high
        What its height spans.
    seconds_px
        Seconds a pixel, from the line of now.
    now_px
        Where now is.
    """

    message: str
    field: str
    feed: Any
    row: QRectF
    since_s: float
    low: float
    high: float
    seconds_px: float
    now_px: float

    def y(self, value: float) -> float:
        """Return the height of a value."""
        share = (value - self.low) / (self.high - self.low) if self.high > self.low else 0.5
        return self.row.bottom() - 3 - share * (self.row.height() - 6)

    def x(self, time_s: float) -> float:
        """Return where a time of the feed is; of one that begins again the next time from now on."""
        return self.now_px + (self._shown(time_s) - self.since_s) / self.seconds_px

    def time_at(self, x: float, near_s: float) -> float:
        """Return the time of the feed at a place, counted in the period in which ``near_s`` is shown."""
        return self.since_s + (x - self.now_px) * self.seconds_px - (self._shown(near_s) - near_s)

    def _shown(self, time_s: float) -> float:
        period = going.period_s(self.feed)
        if period is None or time_s >= self.since_s:
            return time_s
        return time_s + math.ceil((self.since_s - time_s) / period) * period

    def places(self) -> list[QPointF]:
        """Return where its corners are; those of all times stand at the right."""
        return [
            QPointF(self.row.right() - 8 if one.time_s is None else self.x(one.time_s), self.y(one.value))
            for one in going.corners(self.feed)
        ]

    def corner_at(self, at: QPointF) -> int | None:
        """Return the corner in reach of the pointer; a curve that is the same at all times is one everywhere."""
        found = going.corners(self.feed)
        near = [
            (abs(at.y() - place.y()) + (0.0 if one.time_s is None else abs(at.x() - place.x())), number)
            for number, (one, place) in enumerate(zip(found, self.places(), strict=True))
            if one.time_s is None or abs(at.x() - place.x()) <= _REACH_PX
        ]
        return min(near)[1] if near else None


class CurveHand:
    """Moves the corner of a curve, from where it was taken.

    Parameters
    ----------
    curve
        As it was drawn when it was taken.
    number
        Of the corner.
    at
        Where the pointer took it.
    """

    def __init__(self, curve: Curve, number: int, at: QPointF) -> None:
        self.curve = curve
        self.number = number
        self._at = at
        self._corner = going.corners(curve.feed)[number]
        self._span = curve.high - curve.low or max(abs(self._corner.value), 1.0)

    def moved(self, at: QPointF, *, is_fine: bool) -> Any:
        """Return the feed with the corner where the pointer is now."""
        step = self._span / _WHOLE_PX * (_FINE if is_fine else 1.0)
        digits = -math.floor(math.log10(step))
        value = round(self._corner.value + (self._at.y() - at.y()) * step, digits)
        time_s = 0.0
        if self._corner.time_s is not None:
            shift = 0.0 if abs(at.x() - self._at.x()) < 2 else (at.x() - self._at.x()) * self.curve.seconds_px
            time_s = round(self._corner.time_s + shift, 2) if shift else self._corner.time_s
        return going.shaped(self.curve.feed, self.number, time_s, value)
