"""Where a time lies on the strip, and what lies at a place of it."""

from __future__ import annotations

from typing import Literal

from PyQt6.QtCore import QRectF
from PyQt6.QtWidgets import QWidget

from ...app.clock import Clock

NAMES_WIDTH = 246
TOP = 20
_GRIP = 6
_LEAST_BRACKET = 6
"""A bracket is drawn this wide even where it spans less, so that it can be seen and held."""

BracketPart = Literal["first", "last", "whole", ""]


class StripScale:
    """The whole recording from left to right on a widget."""

    def __init__(self, clock: Clock, widget: QWidget) -> None:
        self._clock = clock
        self._widget = widget

    def plot(self) -> QRectF:
        """Return where lanes are drawn, names apart."""
        width, height = self._widget.width(), self._widget.height()
        return QRectF(NAMES_WIDTH + 8, TOP, max(width - NAMES_WIDTH - 22, 50), height - TOP - 8)

    def x_of(self, time_ns: int) -> float:
        """Return where a time lies."""
        clock, plot = self._clock, self.plot()
        share = (time_ns - clock.first_ns) / (clock.last_ns - clock.first_ns)
        return plot.left() + share * plot.width()

    def time_at(self, x: float) -> int:
        """Return the time at a place, in ns."""
        clock, plot = self._clock, self.plot()
        return clock.first_ns + int((x - plot.left()) / plot.width() * (clock.last_ns - clock.first_ns))

    def bracket(self) -> QRectF:
        """Return the part that the desks show."""
        left, right = self.x_of(self._clock.view_first_ns), self.x_of(self._clock.view_last_ns)
        if right - left < _LEAST_BRACKET:
            middle = (left + right) / 2
            left, right = middle - _LEAST_BRACKET / 2, middle + _LEAST_BRACKET / 2
        return QRectF(left, TOP - 3, right - left, self._widget.height() - TOP - 1)

    def bracket_part_at(self, x: float) -> BracketPart:
        """Return which part of the bracket the hand would hold there."""
        bracket = self.bracket()
        if abs(x - bracket.left()) <= _GRIP:
            return "first"
        if abs(x - bracket.right()) <= _GRIP:
            return "last"
        return "whole" if bracket.left() < x < bracket.right() else ""
