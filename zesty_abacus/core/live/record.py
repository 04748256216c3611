"""Records endpoints into a sink, for a time, until a condition holds, or until it is stopped."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..frames.capture import Lane
from ..frames.table import FrameTable
from .endpoint import Endpoint
from .receiving import Receiving
from .ring import Ring
from .sinks import FrameSink
from .watch import Watch

_WAIT_S = 0.05
_LATE_NS = 100_000_000
"""How long frames of a moment may still come in after it."""


@dataclass(slots=True)
class Recorded:
    """How a recording went: frames written, lost for want of room, and in how many its condition held."""

    frames: int = 0
    lost: int = 0
    is_met: bool = False
    hits: int = 0


def record(
    endpoints: Sequence[Endpoint],
    open_sink: Callable[[Receiving], FrameSink],
    stopped: threading.Event,
    *,
    for_ns: int | None = None,
    watch: Callable[[Receiving], Watch] | None = None,
    before_ns: int | None = None,
    after_ns: int = 0,
    ready: Callable[[], None] = lambda: None,
    tell: Callable[[str], None] = lambda _sentence: None,
) -> Recorded:
    """Write what endpoints receive; whatever ends it, what had come by then is written.

    Parameters
    ----------
    open_sink, watch
        Made once the endpoints are open and their lanes known.
    for_ns
        How long, from when it is ready.
    before_ns
        Of what comes before the condition holds only so much is kept; None is all.
    after_ns
        How much longer it goes on once the condition held.
    ready
        Told when everything that comes from now on is recorded.
    tell
        Told what happens to endpoints, as sentences.

    Raises
    ------
    EndpointError
        If an endpoint cannot be opened.
    DataError
        If what came cannot be written.
    """
    made = Recorded()
    with Receiving(endpoints) as receiving:
        # a condition that makes no sense must leave no file behind
        watching = watch(receiving) if watch is not None else None
        sink = open_sink(receiving)
        writing = _Writing(sink, watching, Ring(before_ns) if before_ns is not None else None, after_ns, made)
        try:
            ready()
            until = None if for_ns is None else time.monotonic() + for_ns / 1e9
            while not stopped.is_set() and not writing.is_over and (until is None or time.monotonic() < until):
                left = _WAIT_S if until is None else min(_WAIT_S, max(until - time.monotonic(), 0))
                writing.take(receiving.take(left), receiving.lanes, receiving.now_ns)
                for told in receiving.news():
                    tell(told.sentence)
            if not writing.is_over:
                receiving.stop()
                writing.take(receiving.take(), receiving.lanes, receiving.now_ns)
                writing.finish(receiving.lanes)
        finally:
            made.lost = receiving.lost
            sink.close()
    return made


class _Writing:
    """Decides which frames are written, and when it is over."""

    def __init__(
        self, sink: FrameSink, watch: Watch | None, ring: Ring | None, after_ns: int, made: Recorded
    ) -> None:  # fmt: skip
        self._sink, self._watch, self._ring, self._after_ns, self._made = sink, watch, ring, after_ns, made
        self._ends_ns: int | None = None
        self.is_over = False

    def take(self, table: FrameTable, lanes: Sequence[Lane], now_ns: int) -> None:
        """Take what came; what is to be written is on disk afterwards."""
        if len(table):
            hits = self._watch.holds_in(table, lanes) if self._watch is not None else []
            self._made.hits += len(hits)
            if hits and self._ends_ns is None:
                self._ends_ns = int(table.time_ns[hits[0]]) + self._after_ns
                self._made.is_met = True
                if not self._after_ns:
                    # the frame that fulfils the condition is the last one, whatever came in the same moment
                    table = table.rows(0, hits[0] + 1).compact()
                self.finish(lanes)
            if self._ends_ns is not None and self._after_ns:
                table = table.rows(0, int(np.searchsorted(table.time_ns, self._ends_ns, side="right"))).compact()
            if self._ring is not None and self._ends_ns is None:
                self._ring.add(table)
            else:
                self._write(table, lanes)
        self.is_over = self._ends_ns is not None and (not self._after_ns or now_ns > self._ends_ns + _LATE_NS)

    def finish(self, lanes: Sequence[Lane]) -> None:
        """Write what was held back."""
        if self._ring is not None:
            self._write(self._ring.taken(), lanes)

    def _write(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        if len(table):
            self._sink.append(table, lanes)
            self._made.frames += len(table)
