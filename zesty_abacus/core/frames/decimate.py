"""Columns reduced to what a screen can show, without losing a spike."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

BLOCK = 256
"""Samples summed up in one step of a curve pyramid."""


@dataclass(frozen=True, slots=True, eq=False)
class CurveColumns:
    """A curve reduced to screen columns; every array is (columns,).

    Attributes
    ----------
    first, last : float64
        The values that enter and leave a column, NaN where it has no frame or the value there is not good.
    low, high : float64
        Its range of good values, NaN if it has none.
    frames : int64
        How many frames it has, good or not.
    before, after : float
        The good value just before the first column and just after the last one, NaN if there is none.
    """

    first: NDArray[np.float64]
    last: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    frames: NDArray[np.int64]
    before: float
    after: float

    def band(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return the lowest and highest value a connected line passes in each column; float64 (columns,) each.

        Neighbours are joined by straight lines where most columns have frames. Where few have, a value holds
        until the next one, since frames say nothing about the time between them. A column with frames but no
        good value breaks the line and is NaN.
        """
        holds = np.count_nonzero(self.frames) * 3 < len(self.frames)
        return _connect(self.first, self.last, self.low, self.high, self.frames, self.before, self.after, holds)


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """A value over time, ready to be drawn at any zoom.

    Attributes
    ----------
    time_ns : int64 (n,)
        Never going back.
    values : float64 (n,)
        NaN where there is no good value.
    lows, highs : float64 (blocks,)
        Range of each whole block of :data:`BLOCK` samples, NaN if it has no good value.
    """

    time_ns: NDArray[np.int64]
    values: NDArray[np.float64]
    lows: NDArray[np.float64]
    highs: NDArray[np.float64]

    @classmethod
    def build(cls, time_ns: NDArray[np.int64], values: NDArray[np.floating | np.integer]) -> Curve:
        """Sum up blocks once; integers above 53 bits are rounded, which no screen shows."""
        as_float = np.ascontiguousarray(values, np.float64)
        lows, highs = _block_ranges(as_float, BLOCK)
        return cls(time_ns, as_float, lows, highs)

    def grown(self, time_ns: NDArray[np.int64], values: NDArray[np.floating | np.integer]) -> Curve:
        """Return the curve with more samples behind; only blocks that are new are summed up."""
        joined = np.concatenate([self.values, np.asarray(values, np.float64)])
        summed = len(self.lows) * BLOCK
        lows, highs = _block_ranges(joined[summed:], BLOCK)
        return Curve(
            np.concatenate([self.time_ns, time_ns]), joined,
            np.concatenate([self.lows, lows]), np.concatenate([self.highs, highs]),
        )  # fmt: skip

    def __len__(self) -> int:
        return len(self.values)

    def columns(self, first_ns: int, last_ns: int, columns: int) -> CurveColumns:
        """Reduce the visible time to screen columns."""
        span = max(last_ns - first_ns, 1)
        edges = first_ns + (np.arange(columns + 1, dtype=np.float64) * (span / columns)).astype(np.int64)
        bounds = np.searchsorted(self.time_ns, edges)
        before = float(self.values[bounds[0] - 1]) if bounds[0] else float("nan")
        after = float(self.values[bounds[-1]]) if bounds[-1] < len(self.values) else float("nan")
        first, last, low, high = _curve_columns(self.values, self.lows, self.highs, bounds, BLOCK)
        return CurveColumns(first, last, low, high, np.diff(bounds), before, after)

    def value_range(self) -> tuple[float, float]:
        """Return lowest and highest good value, NaN and NaN if there is none."""
        return _whole_range(self.values, self.lows, self.highs, BLOCK)

    def at(self, time_ns: int) -> float:
        """Return the last value at or before a time, NaN if there is none."""
        row = int(np.searchsorted(self.time_ns, time_ns, side="right")) - 1
        return float(self.values[row]) if row >= 0 else float("nan")


@njit(cache=True, nogil=True)
def _block_ranges(values, block):  # type: ignore[no-untyped-def]
    blocks = len(values) // block
    lows = np.empty(blocks)
    highs = np.empty(blocks)
    for b in range(blocks):
        low, high = np.nan, np.nan
        for i in range(b * block, (b + 1) * block):
            value = values[i]
            if not value >= low:  # also true while low is NaN
                low = value if value == value else low
            if not value <= high:
                high = value if value == value else high
        lows[b] = low
        highs[b] = high
    return lows, highs


@njit(cache=True, nogil=True)
def _range_of(values, lows, highs, first, last, block):  # type: ignore[no-untyped-def]
    low, high = np.nan, np.nan
    i = first
    while i < last:
        if i % block == 0 and i + block <= last:
            small, large = lows[i // block], highs[i // block]
            i += block
        else:
            small = large = values[i]
            i += 1
        if small == small and not small >= low:
            low = small
        if large == large and not large <= high:
            high = large
    return low, high


@njit(cache=True, nogil=True)
def _whole_range(values, lows, highs, block):  # type: ignore[no-untyped-def]
    return _range_of(values, lows, highs, 0, len(values), block)


@njit(cache=True, nogil=True)
def _curve_columns(values, lows, highs, bounds, block):  # type: ignore[no-untyped-def]
    columns = len(bounds) - 1
    first = np.full(columns, np.nan)
    last = np.full(columns, np.nan)
    low = np.full(columns, np.nan)
    high = np.full(columns, np.nan)
    for c in range(columns):
        begin, end = bounds[c], bounds[c + 1]
        if begin == end:
            continue
        first[c] = values[begin]
        last[c] = values[end - 1]
        low[c], high[c] = _range_of(values, lows, highs, begin, end, block)
    return first, last, low, high


@njit(cache=True, nogil=True)
def _connect(first, last, low, high, frames, before, after, holds):  # type: ignore[no-untyped-def]
    columns = len(first)
    lowest, highest = low.copy(), high.copy()
    at, value = -1, before
    for c in range(columns + 1):
        if c == columns:
            following = after
        elif frames[c] == 0:
            continue
        else:
            following = first[c]
        if value == value and following == following:
            _join(lowest, highest, at, value, c, following, holds)
        if c < columns:
            at, value = c, last[c]
    return lowest, highest


@njit(cache=True, nogil=True)
def _join(lowest, highest, at, value, until, following, holds):  # type: ignore[no-untyped-def]
    """Draw on from the middle of column ``at`` to the middle of column ``until``."""
    columns = len(lowest)
    for c in range(max(at, 0), min(until + 1, columns)):
        if holds:
            start = stop = value
            if c == until:
                stop = following
        else:
            steps = until - at
            begin = max(c - 0.5 - at, 0.0) / steps
            end = min(c + 0.5 - at, float(steps)) / steps
            start = value + (following - value) * begin
            # exactly the value at the end, which rounding on the way might pass by
            stop = following if end >= 1.0 else value + (following - value) * end
        small, large = min(start, stop), max(start, stop)
        if not small >= lowest[c]:  # also true while there is nothing yet
            lowest[c] = small
        if not large <= highest[c]:
            highest[c] = large
