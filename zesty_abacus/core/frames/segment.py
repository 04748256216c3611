"""A segment: a stretch of frames that never changes, sorted by its own clock and indexed by kind."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .kinds import KindIndex, index_kinds
from .table import FrameTable


@dataclass(frozen=True, eq=False)
class Segment:
    """Some frames of one recording.

    Attributes
    ----------
    table
        Frames in order of the recording's own time; lanes count in the recording.
    kinds
        Which rows are of which kind.
    by_lane : uint32 (n,), None where all frames are of one lane
        Row numbers grouped by lane, rising within a lane.
    """

    table: FrameTable
    kinds: KindIndex
    by_lane: NDArray[np.uint32] | None = None

    @classmethod
    def of(cls, table: FrameTable) -> Segment:
        """Sort a table by time and index it, in memory; raises DataError if its columns do not belong together."""
        table.check()
        if not is_sorted(table.time_ns):
            table = table.by_time()
        kinds = index_kinds(table)
        several = len(kinds.lane_bounds) > 1
        return cls(table, kinds, np.argsort(table.lane, kind="stable").astype(np.uint32) if several else None)

    def __len__(self) -> int:
        return len(self.table)

    @cached_property
    def time_digits(self) -> int:
        """How many digits behind the point of a second its times have: 3, 6 or 9."""
        return int(_digits_of(self.table.time_ns))

    @property
    def lanes(self) -> tuple[int, ...]:
        """The lanes that it has frames of, rising."""
        return tuple(self.kinds.lane_bounds)

    def rows_of(self, lane: int) -> NDArray[np.uint32] | None:
        """Return the rows of a lane, rising; None where they are all rows."""
        if self.by_lane is None:
            return None
        first, last = self.kinds.lane_bounds[lane]
        return self.by_lane[first:last]


@dataclass(frozen=True, slots=True, eq=False)
class Placed:
    """A segment in a capture.

    Attributes
    ----------
    base
        Row of the capture that its first row is.
    lanes : uint16 (recorded lanes,)
        Lane of the capture that each of its lanes is.
    shift_ns : int64 (recorded lanes,)
        What is added to the times of each of its lanes.
    """

    segment: Segment
    base: int
    lanes: NDArray[np.uint16]
    shift_ns: NDArray[np.int64]

    @classmethod
    def as_recorded(cls, segment: Segment, lanes: int) -> Placed:
        """Return a segment whose lanes are those of the capture, on the clock of the recording."""
        return cls(segment, 0, np.arange(lanes, dtype=np.uint16), np.zeros(lanes, np.int64))

    def __len__(self) -> int:
        return len(self.segment)

    def times(self, rows: NDArray[np.integer] | slice) -> NDArray[np.int64]:
        """Return the times of some of its rows on the capture's clock."""
        table = self.segment.table
        times = table.time_ns[rows]
        used = {int(self.shift_ns[lane]) for lane in self.segment.lanes}
        if used <= {0}:
            return times
        # one shift for all is the usual case, and needs no look at the lanes
        return times + (np.int64(used.pop()) if len(used) == 1 else self.shift_ns[table.lane[rows]])


@njit(cache=True, nogil=True)
def is_sorted(times):  # type: ignore[no-untyped-def]
    """Return whether numbers never go back."""
    for i in range(1, len(times)):
        if times[i] < times[i - 1]:
            return False
    return True


@njit(cache=True, nogil=True)
def _digits_of(times):  # type: ignore[no-untyped-def]
    digits = 3
    for i in range(len(times)):
        if times[i] % 1000:
            return 9
        if times[i] % 1000000:
            digits = 6
    return digits
