"""Where channels, marks and times lie in the wave view, and which values its boxes span."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtWidgets import QWidget

from ...app.doors import lines
from ...widgets.paint import padded_range
from .bench import Bench

GUTTER = 92
OVERVIEW = 30
RULER = 20
_MARK_ROW = 40
_LEAST_WAVE = 44


class WavePlace:
    """The geometry of one wave view; painting and hands ask the same one.

    Attributes
    ----------
    shifted_ns
        How far the lane is being moved by the hand just now.
    moving
        The threshold that is being moved: channel, which, level.
    """

    def __init__(self, widget: QWidget, bench: Bench) -> None:
        self._widget, self._bench = widget, bench
        self.shifted_ns = 0
        self.moving: tuple[str, str, float] | None = None
        self._ranges: dict[str, tuple[float, float]] = {}

    @property
    def zero_ns(self) -> int:
        """Where the recording's own zero lies on the capture's clock, with what the hand moves."""
        return self._bench.zero_ns + self.shifted_ns

    def forget_ranges(self) -> None:
        """Look again for the values that boxes span: the channels are others."""
        self._ranges.clear()

    def channels(self) -> list[lines.Channel]:
        """Return the channels to draw: those the recipe uses, or all while it uses none."""
        opened, recipe = self._bench.opened, self._bench.recipe
        if opened is None or opened.recording is None:
            return []
        used = recipe.channels() if recipe is not None else ()
        chosen = [c for name in used if (c := opened.recording.channel(name)) is not None]
        return chosen or list(opened.recording.channels[:8])

    def line(self, name: str) -> lines.PreparedLine | None:
        """Return a channel as the recipe read it, None while nothing came out."""
        outcome = self._bench.outcome
        return outcome.lines.get(name) if outcome is not None else None

    def mark_rows(self) -> int:
        """Return how many rows of marks there are: one a direction."""
        index = self._bench.frames.marks()
        return index.lines if index is not None else 1

    def plot(self) -> QRectF:
        """Return where time runs from left to right."""
        return QRectF(GUTTER, 0, max(self._widget.width() - GUTTER - 14, 40), self._widget.height())

    def boxes(self) -> dict[str, QRectF]:
        """Return the box of each channel."""
        names = [channel.name for channel in self.channels()]
        area = self.plot()
        bottom = self._widget.height() - RULER - _MARK_ROW * self.mark_rows()
        each = max((bottom - OVERVIEW - 6) / max(len(names), 1), _LEAST_WAVE)
        return {
            name: QRectF(area.left(), OVERVIEW + 6 + number * each + 5, area.width(), each - 10)
            for number, name in enumerate(names)
        }

    def marks_box(self, row: int) -> QRectF:
        """Return the box of a row of marks."""
        area = self.plot()
        top = self._widget.height() - RULER - _MARK_ROW * (self.mark_rows() - row)
        return QRectF(area.left(), top, area.width(), _MARK_ROW)

    def view(self) -> tuple[int, int]:
        """Return the time in view, on the capture's clock."""
        clock = self._bench.session.clock
        return clock.view_first_ns, clock.view_last_ns

    def x_of(self, time_ns: int) -> float:
        """Return where a time of the capture's clock lies."""
        first, last = self.view()
        area = self.plot()
        return area.left() + (time_ns - first) / max(last - first, 1) * area.width()

    def time_at(self, x: float) -> int:
        """Return the time of the capture's clock at a place."""
        first, last = self.view()
        area = self.plot()
        return first + int((x - area.left()) / area.width() * (last - first))

    def value_range(self, name: str) -> tuple[float, float]:
        """Return the values at the bottom and the top of a channel's box."""
        if name not in self._ranges:
            self._ranges[name] = self._find_range(name)
        return self._ranges[name]

    def _find_range(self, name: str) -> tuple[float, float]:
        line = self.line(name)
        if line is not None and line.wave is not None:
            wave = line.wave
        else:
            opened = self._bench.opened
            channel = opened.recording.channel(name) if opened is not None and opened.recording is not None else None
            if channel is None or channel.samples is None or channel.samples.is_iq:
                return -0.15, 1.15
            wave = channel.samples
        if not len(wave.lows):
            return -0.15, 1.15
        low, high = float(np.nanmin(wave.lows)), float(np.nanmax(wave.highs))
        low, high = low * wave.scale + wave.offset, high * wave.scale + wave.offset
        return padded_range(min(low, high), max(low, high))

    def threshold(self, name: str, which: str = "above") -> float | None:
        """Return the level of a threshold line, None where there is none to drag."""
        if self.moving is not None and self.moving[:2] == (name, which):
            return self.moving[2]
        line = self.line(name)
        if line is None or line.wave is None or line.threshold is not None:
            return None
        return getattr(line.setting, which)

    def y_of(self, name: str, value: float) -> float:
        """Return the height of a value in its channel's box."""
        low, high = self.value_range(name)
        box = self.boxes()[name]
        return box.bottom() - (value - low) / (high - low) * box.height()

    def visible_marks(self, row: int = 0) -> np.ndarray:
        """Return the marks of a row that lie in view, their times on the capture's clock; none if they are many."""
        index = self._bench.frames.marks()
        zero = self.zero_ns
        first, last = (time - zero for time in self.view())
        part = index.between(first, last, row) if index is not None else None
        if part is None:
            return np.empty((0, 7), np.int64)
        part[:, :2] += zero
        return part
