"""Which of the frames that come are kept: all of them, or those around the moments at which a condition holds."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from enum import StrEnum

import numpy as np

from ..frames.capture import Lane
from ..frames.table import FrameTable
from .ring import Ring
from .watch import Watch

_LATE_NS = 100_000_000
"""How long frames of a moment may still come in after it."""


class Then(StrEnum):
    """What follows once the condition held."""

    STOP = "stop"
    """It is over."""
    AGAIN = "again"
    """It waits for the next time; hits within what is kept lengthen it."""
    MARK = "mark"
    """Nothing: everything is kept, and hits are told."""


class Armed:
    """Takes frames as they come and gives those that are kept, in the same order.

    Parameters
    ----------
    watch
        None waits for nothing, and keeps everything.
    before_ns
        Of what comes before the condition holds only so much is kept; None is all.
    after_ns
        So much is kept after it; 0 ends with the very frame in which it holds.

    Attributes
    ----------
    then
    hits
        In how many frames the condition held.
    """

    def __init__(
        self, watch: Watch | None = None, before_ns: int | None = None, after_ns: int = 0, then: Then = Then.STOP
    ) -> None:
        self._watch, self._after_ns, self.then = watch, after_ns, then
        self._ring = Ring(before_ns) if before_ns is not None and then != Then.MARK else None
        self._ends_ns: int | None = None
        self._is_closed = False
        self.hits = 0

    @property
    def waits(self) -> bool:
        """Whether what comes is held back until the condition holds."""
        return self._ring is not None and self._ends_ns is None and not self._is_closed

    def is_over(self, now_ns: int) -> bool:
        """Return whether nothing is kept any more, at a time on the clock of the frames."""
        return self._is_closed or (
            self.then == Then.STOP and self._ends_ns is not None and now_ns > self._ends_ns + _LATE_NS
        )

    def take(self, table: FrameTable, lanes: Sequence[Lane]) -> tuple[list[FrameTable], list[int]]:
        """Take what came; return what is kept now, and the times at which the condition held."""
        if self._is_closed or not len(table):
            return [], []
        rows = self._watch.holds_in(table, lanes) if self._watch is not None else []
        self.hits += len(rows)
        times = table.time_ns[rows].tolist()
        if self._watch is None or self.then == Then.MARK:
            return [table], times
        return [part for part in self._around(table, np.array(rows, np.int64)) if len(part)], times

    def trigger(self, now_ns: int) -> list[FrameTable]:
        """Do as if the condition held now; return what is kept of before."""
        self._ends_ns = now_ns + self._after_ns
        return self._held(now_ns)

    def last(self) -> list[FrameTable]:
        """Return what is kept at the end of what the condition was waited for in: all that was held back."""
        return self._held() if self.waits and self.then == Then.STOP else []

    def _held(self, until_ns: int | None = None) -> list[FrameTable]:
        held = self._ring.taken(until_ns) if self._ring is not None else FrameTable.empty()
        return [held] if len(held) else []

    def _around(self, table: FrameTable, hits: np.ndarray) -> Iterator[FrameTable]:
        place = 0
        while place < len(table) and not self._is_closed:
            if self._ends_ns is None:
                ahead = hits[np.searchsorted(hits, place) :]
                row = int(ahead[0]) if len(ahead) else len(table)
                yield from self._before(table.rows(place, row).compact(), table, row)
                place = row
            else:
                behind = self._end(table, hits, place)
                yield table.rows(place, behind).compact()
                if self.then == Then.AGAIN and (behind < len(table) or not self._after_ns):
                    self._ends_ns = None
                place = behind if self.then == Then.AGAIN else len(table)
                self._is_closed = self.then == Then.STOP and not self._after_ns

    def _before(self, earlier: FrameTable, table: FrameTable, row: int) -> Iterator[FrameTable]:
        """Hold frames back that came before a row, or give what is kept of them if the condition holds there."""
        if self._ring is None:
            yield earlier
        else:
            self._ring.add(earlier)
        if row < len(table):
            time_ns = int(table.time_ns[row])
            self._ends_ns = time_ns + self._after_ns
            yield from self._held(time_ns)

    def _end(self, table: FrameTable, hits: np.ndarray, place: int) -> int:
        """Return the row behind the last one that is kept."""
        assert self._ends_ns is not None, "the condition held"
        if not self._after_ns:
            # the frame that fulfils the condition is the last one, whatever came in the same moment
            return place + 1
        while True:
            behind = int(np.searchsorted(table.time_ns, self._ends_ns, side="right"))
            inside = hits[(hits >= place) & (hits < behind)]
            ends_ns = int(table.time_ns[inside[-1]]) + self._after_ns if len(inside) else self._ends_ns
            if self.then != Then.AGAIN or ends_ns <= self._ends_ns:
                return max(behind, place)
            self._ends_ns = ends_ns
