"""How many frames each lane has in equal parts of time: what the whole of a recording looks like from afar."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .capture import Capture
from .order import run_of_lane

_SHORTEST_PART_NS = 1 << 20


def lane_density(capture: Capture, columns: int, span: tuple[int, int] | None = None) -> NDArray[np.int64]:
    """Count frames a lane in equal parts of a time, int64 (lanes, columns).

    Parameters
    ----------
    span
        First and last time in ns, both inside; None is the whole recording.
    """
    counts = np.zeros((len(capture.lanes), columns), np.int64)
    if not len(capture):
        return counts
    first, last = span if span is not None else (capture.origin_ns, capture.end_ns)
    length = max(last - first, 1)
    # the first time of each column; in whole numbers, since nanoseconds since 1970 are more than a float holds
    edges = np.array([first + -(-column * length // columns) for column in range(columns)] + [last + 1], np.int64)
    for placed in capture.segments:
        for lane in placed.segment.lanes:
            run = run_of_lane(placed, lane)
            # a search for each edge, not a look at each frame: a lane that is moved is counted again
            counts[placed.lanes[lane]] += np.diff(run.counts_before(edges))
    return counts


class GrowingDensity:
    """Counts frames a lane as they come, in parts of time that get longer as there are more of them.

    Attributes
    ----------
    first_ns
        Where the first part begins.
    part_ns
        How long a part is now.

    Parameters
    ----------
    columns
        How many parts there are at least, once there has been time for them, and never twice as many.
    """

    def __init__(self, first_ns: int, columns: int) -> None:
        self.first_ns = first_ns
        self._columns = columns
        self.part_ns = _SHORTEST_PART_NS
        self._counts = np.zeros((1, 2 * columns), np.int64)
        self._last_ns = first_ns

    def add(self, lanes: NDArray[np.integer], times_ns: NDArray[np.int64]) -> None:
        """Count frames by lane and time; what lies before the first part counts in it."""
        if not len(times_ns):
            return
        self._last_ns = max(self._last_ns, int(times_ns.max()))
        while self._last_ns - self.first_ns >= self.part_ns * 2 * self._columns:
            halved = self._counts.reshape(len(self._counts), self._columns, 2).sum(axis=2)
            self._counts = np.pad(halved, ((0, 0), (0, self._columns)))
            self.part_ns *= 2
        self._make_room(int(lanes.max()) + 1)
        np.add.at(self._counts, (lanes, np.maximum(times_ns - self.first_ns, 0) // self.part_ns), 1)

    def counts(self, lanes: int) -> NDArray[np.int64]:
        """Return what was counted up to the last frame; int64 (lanes, columns)."""
        self._make_room(lanes)
        return self._counts[:lanes, : (self._last_ns - self.first_ns) // self.part_ns + 1].copy()

    def _make_room(self, lanes: int) -> None:
        if lanes > len(self._counts):
            self._counts = np.pad(self._counts, ((0, lanes - len(self._counts)), (0, 0)))
