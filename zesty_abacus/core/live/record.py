"""Records endpoints into a sink, for a time, until a condition holds, or until it is stopped."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..frames.table import FrameTable
from .armed import Armed
from .endpoint import Endpoint
from .receiving import Receiving
from .sinks import FrameSink

_WAIT_S = 0.05


@dataclass(slots=True)
class Recorded:
    """How a recording went: frames written, lost for want of room, and in how many its condition held."""

    frames: int = 0
    lost: int = 0
    hits: int = 0


def record(
    endpoints: Sequence[Endpoint],
    open_sink: Callable[[Receiving], FrameSink],
    stopped: threading.Event,
    *,
    for_ns: int | None = None,
    arm: Callable[[Receiving], Armed] = lambda _receiving: Armed(),
    ready: Callable[[], None] = lambda: None,
    tell: Callable[[str], None] = lambda _sentence: None,
) -> Recorded:
    """Write what endpoints receive; whatever ends it, what had come by then is written.

    Parameters
    ----------
    open_sink, arm
        Made once the endpoints are open and their lanes known: where frames go, and which of them.
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
        armed = arm(receiving)
        sink = open_sink(receiving)

        def take(tables: Sequence[FrameTable]) -> None:
            for table in tables:
                sink.append(table, receiving.lanes)
                made.frames += len(table)

        try:
            ready()
            until = None if for_ns is None else time.monotonic() + for_ns / 1e9
            while not stopped.is_set() and (until is None or time.monotonic() < until):
                left = _WAIT_S if until is None else min(_WAIT_S, max(until - time.monotonic(), 0))
                take(armed.take(receiving.take(left), receiving.lanes)[0])
                if armed.is_over(receiving.now_ns):
                    break
                for told in receiving.news():
                    tell(told.sentence)
            else:
                receiving.stop()
                take(armed.take(receiving.take(), receiving.lanes)[0])
                take(armed.last())
        finally:
            made.lost, made.hits = receiving.lost, armed.hits
            sink.close()
    return made
