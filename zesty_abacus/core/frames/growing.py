"""Frames that come while they are looked at, in a few segments: the latest in memory, the others on disk."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from pathlib import Path

from .segment import Segment, is_sorted
from .store import stored_segment
from .table import FrameTable

_FULL = 1 << 13
"""Frames with which the segment that new ones go to is full."""
_TOGETHER = 8
"""Segments of about one length that are put together to one."""
_LONGEST = 1 << 19
_ON_DISK = 1 << 16
"""From so many frames on a segment lies on disk, and is mapped."""


class GrowingFrames:
    """Frames one behind the other, cut into segments.

    What was a frame's row among them stays its row: segments are put together, never sorted into each other. Hours of a
    bus are a few hundred of them, and what stays in memory does not grow with them.

    Parameters
    ----------
    folder
        Where segments are kept; it is made when there is something to keep.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._settled: list[Segment] = []
        self._latest: list[FrameTable] = []
        self._stored = 0

    def add(self, table: FrameTable) -> None:
        """Add frames behind those that are there.

        Raises
        ------
        CaptureStoreError
            If the disk does not take what is put away.
        """
        if not len(table):
            return
        table = table if is_sorted(table.time_ns) else table.by_time()
        last = self._latest[-1] if self._latest else None
        if last is not None and table.time_ns[0] < last.time_ns[-1]:
            # what came late would be sorted between the others, and rows would be other frames
            self._settle()
        self._latest.append(table)
        if sum(map(len, self._latest)) >= _FULL:
            self._settle()

    def segments(self) -> tuple[Segment, ...]:
        """Return what is there now."""
        return (*self._settled, *([self._newest()] if self._latest else []))

    def _newest(self) -> Segment:
        self._latest = [FrameTable.joined([table.compact() for table in self._latest])]
        return Segment.of(self._latest[0])

    def _settle(self) -> None:
        self._settled.append(self._newest())
        self._latest = []
        while (joined := self._last_alike()) is not None:
            self._settled[-_TOGETHER:] = [joined]

    def _last_alike(self) -> Segment | None:
        """Return the last segments in one if they are of about one length and follow each other; else None."""
        last = self._settled[-_TOGETHER:]
        shortest, longest = min(map(len, last)), max(map(len, last))
        if len(last) < _TOGETHER or longest >= 2 * shortest or longest >= _LONGEST or not _follow(last):
            return None
        table = FrameTable.joined([one.table for one in last])
        if len(table) < _ON_DISK:
            return Segment.of(table)
        self._stored += 1
        return stored_segment(self._folder / str(self._stored), Segment.of(table))


def _follow(segments: Sequence[Segment]) -> bool:
    """Return whether each segment begins when the one before has ended."""
    ends = [(int(one.table.time_ns[0]), int(one.table.time_ns[-1])) for one in segments]
    return all(before[1] <= after[0] for before, after in itertools.pairwise(ends))
