"""Records endpoints into a sink, for a time, until a condition holds, or until it is stopped."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..frames.table import FrameTable
from .endpoint import Endpoint
from .receiving import Receiving, compact
from .sinks import FrameSink
from .watch import Watch

_WAIT_S = 0.05


@dataclass(slots=True)
class Recorded:
    """How a recording went: frames written, frames lost for want of room, whether its condition came to hold."""

    frames: int = 0
    lost: int = 0
    is_met: bool = False


def record(
    endpoints: Sequence[Endpoint],
    open_sink: Callable[[Receiving], FrameSink],
    stopped: threading.Event,
    *,
    for_ns: int | None = None,
    watch: Callable[[Receiving], Watch] | None = None,
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
        try:
            ready()
            until = None if for_ns is None else time.monotonic() + for_ns / 1e9
            while not stopped.is_set() and not made.is_met and (until is None or time.monotonic() < until):
                left = _WAIT_S if until is None else min(_WAIT_S, max(until - time.monotonic(), 0))
                _write(receiving, receiving.take(left), sink, watching, made)
                for told in receiving.news():
                    tell(told.sentence)
            if not made.is_met:
                receiving.stop()
                _write(receiving, receiving.take(), sink, watching, made)
        finally:
            made.lost = receiving.lost
            sink.close()
    return made


def _write(
    receiving: Receiving, table: FrameTable, sink: FrameSink, watching: Watch | None, made: Recorded
) -> None:  # fmt: skip
    if not len(table):
        return
    lanes = receiving.lanes
    hits = watching.holds_in(table, lanes) if watching is not None else []
    if hits:
        # the frame that fulfils the condition is the last one
        table = compact(table.rows(0, hits[0] + 1))
        made.is_met = True
    sink.append(table, lanes)
    made.frames += len(table)
