"""Forwards readings of recordings or of what endpoints receive."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Sequence

import numpy as np

from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..handover.chunks import chunks_of
from ..layouts.model import Layout
from ..live.sinks import FrameSink
from ..reading.coming import ComingMeaning
from ..reading.meaning import Meaning
from .readings import Reading, readings_of
from .sending import Sending
from .spool import Spool
from .thinning import Thinning, thinning_of
from .wanted import Wanted
from .way import ForwardAddress

_AT_ONCE = 2000
_LOOK_S = 0.05


class Forwarding:
    """Puts readings into a spool, thinned and addressed, and lets them be sent.

    Parameters
    ----------
    job
        A name of what is forwarded, so that it goes on where it was broken off; empty for what comes only once.
    """

    def __init__(
        self, spool: Spool, sending: Sending, address: ForwardAddress, thinning: Thinning | None = None, job: str = ""
    ) -> None:
        self._spool, self._sending, self._address = spool, sending, address
        self._thinning = thinning or thinning_of()
        self._job = job
        self._before = spool.done(job) if job else 0
        self._done = 0

    @property
    def went_on(self) -> int:
        """How many readings were forwarded before, by a run that was broken off."""
        return self._before

    def put(self, readings: Iterable[Reading]) -> None:
        """Keep readings, in order of time; they are on disk afterwards."""
        self._put(made for reading in readings for made in self._thinning.take(reading))

    def put_rest(self) -> None:
        """Keep what thinning held back; no more readings come."""
        self._put(self._thinning.rest())

    def _put(self, readings: Iterable[Reading]) -> None:
        ready: list[tuple[str, bytes]] = []
        for one in (part for reading in readings for part in self._address.parts_of(reading)):
            self._done += 1
            # what was put in before it was broken off is counted again, since thinning depends on it, and not sent
            if self._done > self._before:
                ready.append((self._address.place_of(one), one.body()))
            if len(ready) >= _AT_ONCE:
                self._keep(ready)
                ready = []
        self._keep(ready)

    def _keep(self, ready: list[tuple[str, bytes]]) -> None:
        if ready:
            self._spool.put(ready, self._job, self._done)
            self._sending.wake()

    def wait(self, stopped: threading.Event) -> bool:
        """Wait until everything is taken; returns False if it was stopped before."""
        while not self._sending.is_empty():
            if stopped.wait(_LOOK_S):
                return False
        if self._sending.failure is not None:
            raise self._sending.failure
        return True

    def finish(self) -> None:
        """Forget how far it came: asked for again, it begins anew."""
        if self._job:
            self._spool.finish(self._job)


def forward_capture(
    forwarding: Forwarding, meaning: Meaning, wanted: Wanted, stopped: threading.Event,
    step: Callable[[float], None] = lambda _share: None,
) -> bool:  # fmt: skip
    """Forward all readings of a capture; returns False if it was stopped before they were taken.

    Parameters
    ----------
    step
        Told which share of the frames was put into the spool.
    """
    count, seen = max(len(meaning.capture), 1), 0
    for rows in chunks_of(meaning.capture, None):
        if stopped.is_set():
            return False
        forwarding.put(readings_of(meaning, rows, wanted))
        seen += len(rows)
        step(seen / count)
    forwarding.put_rest()
    return forwarding.wait(stopped)


class LiveReadings(FrameSink):
    """Takes frames as they come and forwards what they say, as a sink of a recording."""

    def __init__(self, forwarding: Forwarding, layouts: Sequence[Layout], wanted: Wanted) -> None:
        super().__init__()
        self._forwarding, self._layouts, self._wanted = forwarding, list(layouts), wanted
        self._coming = ComingMeaning()

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Take frames in order of time."""
        meaning = self._coming.of(table, lanes, self._layouts)
        rows = np.arange(len(table), dtype=np.uint32)
        self._forwarding.put(readings_of(meaning, rows, self._wanted))

    def close(self) -> None:
        """Forward what thinning held back."""
        self._forwarding.put_rest()
