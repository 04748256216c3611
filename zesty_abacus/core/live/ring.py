"""The last seconds of what comes, until it is known whether they matter."""

from __future__ import annotations

from collections import deque

from ..frames.table import FrameTable


class Ring:
    """Keeps frames of the last so many nanoseconds; older ones are let go.

    Parameters
    ----------
    length_ns
        Counted back from the newest frame.
    """

    def __init__(self, length_ns: int) -> None:
        self._length_ns = length_ns
        self._tables: deque[FrameTable] = deque()

    def add(self, table: FrameTable) -> None:
        """Add frames that came behind the others."""
        if not len(table):
            return
        self._tables.append(table)
        oldest = int(table.time_ns[-1]) - self._length_ns
        while self._tables and int(self._tables[0].time_ns[-1]) < oldest:
            self._tables.popleft()

    def taken(self, until_ns: int | None = None) -> FrameTable:
        """Return what is kept, in order of time, and keep nothing any more.

        Parameters
        ----------
        until_ns
            Counted back from here; from the newest frame if left out.
        """
        if not self._tables:
            return FrameTable.empty()
        whole = FrameTable.joined(list(self._tables)).by_time()
        self._tables.clear()
        until_ns = int(whole.time_ns[-1]) if until_ns is None else until_ns
        first = int(whole.time_ns.searchsorted(until_ns - self._length_ns))
        return whole.rows(first, len(whole)).compact()
