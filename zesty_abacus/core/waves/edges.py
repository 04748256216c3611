"""Edges: a digital line as the moments at which it changes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

NO_SPANS = np.empty((0, 2), np.int64)


@dataclass(frozen=True, slots=True, eq=False)
class Edges:
    """The changes of one line, in order of time.

    Attributes
    ----------
    time_ns : int64 (n,)
        When the line changes, in nanoseconds since the recording's own zero; never going back.
    level : int8 (n,)
        The level from then on: 0 or 1; on a bipolar line also -1, with 0 for the middle.
    first : int
        The level before the first change.
    begin_ns, end_ns : int
        The time that was recorded.
    unknown : int64 (k, 2)
        Spans in which the recording says that it does not know the level; ``level`` keeps the last known one.
    """

    time_ns: NDArray[np.int64]
    level: NDArray[np.int8]
    first: int
    begin_ns: int
    end_ns: int
    unknown: NDArray[np.int64] = field(default_factory=lambda: NO_SPANS)

    def __len__(self) -> int:
        return len(self.time_ns)

    @classmethod
    def of_toggles(cls, times: NDArray[np.int64], first: int, begin_ns: int, end_ns: int) -> Edges:
        """Return a two-level line that toggles at each time."""
        level = ((np.arange(len(times)) + 1 + first) & 1).astype(np.int8)
        return cls(np.asarray(times, np.int64), level, first, begin_ns, end_ns)

    def inverted(self) -> Edges:
        """Return the line with its levels the other way round; a bipolar line with its sign turned."""
        if len(self) and int(self.level.min()) < 0:
            return replace(self, level=-self.level, first=-self.first)
        return replace(self, level=(1 - self.level).astype(np.int8), first=1 - self.first)

    def between(self, first_ns: int, last_ns: int) -> Edges:
        """Return the part of the line in a span of time."""
        low, high = np.searchsorted(self.time_ns, (first_ns, last_ns))
        before = int(self.level[low - 1]) if low else self.first
        begin, end = max(first_ns, self.begin_ns), min(last_ns, self.end_ns)
        return Edges(self.time_ns[low:high], self.level[low:high], before, begin, end, self.unknown)

    def first_part(self, changes: int) -> Edges:
        """Return the line up to a number of changes: all of it if there are no more."""
        return self if len(self) <= changes else self.between(self.begin_ns, int(self.time_ns[changes]))

    def level_at(self, time_ns: int) -> int:
        """Return the level at a time, after a change at that very time."""
        row = int(np.searchsorted(self.time_ns, time_ns, side="right")) - 1
        return int(self.level[row]) if row >= 0 else self.first

    def widths(self) -> NDArray[np.int64]:
        """Return how long each level between two changes lasted, int64 (n - 1,)."""
        return np.diff(self.time_ns)

    def columns(self, first_ns: int, last_ns: int, columns: int) -> tuple[NDArray[np.int8], NDArray[np.int8]]:
        """Return the lowest and the highest level in each of equal parts of a span; int8 (columns,) each."""
        bounds_ns = first_ns + (np.arange(columns + 1) * ((last_ns - first_ns) / columns)).astype(np.int64)
        bounds = np.searchsorted(self.time_ns, bounds_ns, side="right")
        low, high = np.empty(columns, np.int8), np.empty(columns, np.int8)
        _ranges(self.level, np.int8(self.first), bounds, low, high)
        return low, high

    def without_glitches(self, shortest_ns: int) -> Edges:
        """Return the line without pulses shorter than a time; what is left still changes at each edge."""
        if shortest_ns <= 0 or not len(self):
            return self
        keep_time, keep_level = np.empty_like(self.time_ns), np.empty_like(self.level)
        kept = _drop_glitches(self.time_ns, self.level, np.int8(self.first), shortest_ns, keep_time, keep_level)
        return replace(self, time_ns=keep_time[:kept].copy(), level=keep_level[:kept].copy())


@njit(cache=True, nogil=True)
def _ranges(level, first, bounds, low, high):  # type: ignore[no-untyped-def]
    for column in range(len(low)):
        begin, end = bounds[column], bounds[column + 1]
        bottom = top = level[begin - 1] if begin else first
        # three levels at most: nothing is left to find once the range is whole
        for row in range(begin, min(end, begin + 16)):
            bottom = min(bottom, level[row])
            top = max(top, level[row])
        low[column], high[column] = bottom, top


@njit(cache=True, nogil=True)
def _drop_glitches(time, level, first, shortest, keep_time, keep_level):  # type: ignore[no-untyped-def]
    kept = 0
    for row in range(len(time)):
        # a pulse that ends too soon goes with both its edges; the line never was there
        if kept and time[row] - keep_time[kept - 1] < shortest:
            kept -= 1
        before = keep_level[kept - 1] if kept else first
        if level[row] != before:
            keep_time[kept] = time[row]
            keep_level[kept] = level[row]
            kept += 1
    return kept
