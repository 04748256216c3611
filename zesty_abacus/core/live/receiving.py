"""Several endpoints received at once: a thread each, their frames on one set of lanes and in order of time."""

from __future__ import annotations

import contextlib
import queue
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..words import span_text
from .batch import Batch
from .clock import SteadyClock
from .endpoint import Endpoint, Outgoing
from .errors import EndpointError
from .lanes_seen import LanesSeen

_WAIT_S = 0.05
_AGAIN_S = 1.0
_MOST_WAITING = 2000
"""Batches that are held while whoever takes them is busy; then receiving waits, and the system's own buffers fill."""
_TOLD_FROM_NS = 500_000_000
_LATE_NS = 30_000_000
"""Endpoints are read by threads of their own: only after so long has each told what it saw at a moment."""


@dataclass(frozen=True, slots=True)
class Told:
    """Something that happened to an endpoint, as a sentence."""

    endpoint: Endpoint
    sentence: str
    is_down: bool


class Receiving:
    """Receives from endpoints until it is stopped; use it as a context.

    An endpoint that lost its connection is told and opened again, once a second; what was received stays.

    Attributes
    ----------
    lanes
        Of all endpoints, in their order; new ones come behind.
    """

    def __init__(self, endpoints: Sequence[Endpoint]) -> None:
        self.endpoints = tuple(endpoints)
        self._lanes = LanesSeen()
        self._batches: queue.Queue[FrameTable] = queue.Queue(_MOST_WAITING)
        self._news: queue.SimpleQueue[Told] = queue.SimpleQueue()
        self._stopped = threading.Event()
        self._threads: list[threading.Thread] = []
        self._held = FrameTable.empty()
        self._clock = SteadyClock()
        self._stepped_ns = 0
        for one in self.endpoints:
            one.clock = self._clock

    @property
    def lanes(self) -> tuple[Lane, ...]:
        """What frames were seen on so far, by lane number."""
        return self._lanes.all()

    @property
    def lost(self) -> int:
        """Frames that there was no room for."""
        return sum(one.lost for one in self.endpoints)

    def __enter__(self) -> Receiving:
        """Open all endpoints; raises EndpointError if one cannot be, with the others closed again."""
        with contextlib.ExitStack() as opened:
            for number, one in enumerate(self.endpoints):
                one.open()
                opened.callback(one.close)
                self._lanes.know(number, one.lanes)
            opened.pop_all()
        for number in range(len(self.endpoints)):
            self._start(number)
        return self

    def add(self, endpoint: Endpoint) -> None:
        """Receive from one more endpoint; raises EndpointError if it cannot be opened."""
        endpoint.clock = self._clock
        endpoint.open()
        number = len(self.endpoints)
        self.endpoints = (*self.endpoints, endpoint)
        self._lanes.know(number, endpoint.lanes)
        self._start(number)

    def _start(self, number: int) -> None:
        one = self.endpoints[number]
        thread = threading.Thread(target=self._receive, args=(number, one), daemon=True, name=f"live {one.address}")
        thread.start()
        self._threads.append(thread)

    def __exit__(self, *_error: object) -> None:
        self.stop()

    def stop(self) -> None:
        """Stop receiving and close; what has come can still be taken."""
        self._stopped.set()
        for thread in self._threads:
            # one that waits for room is let go by taking what it brings
            while thread.is_alive():
                thread.join(0.02)
                self._gather()
        for one in self.endpoints:
            one.close()

    def take(self, timeout_s: float = 0.0) -> FrameTable:
        """Return what came, in order of time; the last milliseconds are held back until all endpoints have told.

        Waits for the first frame, not longer than the timeout.
        """
        self._gather(timeout_s)
        self._look_at_the_clock()
        if self._stopped.is_set() or len(self.endpoints) == 1:
            return self._taken(np.ones(len(self._held), np.bool_))
        # a frame of a time to come has it from somebody else's clock: it would be held until then
        return self._taken(np.abs(self._held.time_ns - self._clock.now_ns()) > _LATE_NS)

    def send(self, number: int, frame: Outgoing) -> None:
        """Send a frame by an endpoint; it stands among what is received, marked as sent.

        Raises
        ------
        EndpointError
            If it cannot be sent.
        """
        endpoint = self.endpoints[number]
        at = self._clock.now_ns()
        endpoint.send(frame)
        if endpoint.tells_what_it_sends:
            return
        batch = Batch()
        batch.add(at, frame.payload, frame.address, frame.flags | F.SENT, frame.lane)
        self._put(self._lanes.on_lanes(number, batch.table()))

    @property
    def now_ns(self) -> int:
        """The time, on the clock of what is received."""
        return self._clock.now_ns()

    def news(self) -> list[Told]:
        """Return what happened to endpoints since the last call."""
        found = []
        with contextlib.suppress(queue.Empty):
            while True:
                found.append(self._news.get_nowait())
        return found

    def _gather(self, timeout_s: float = 0.0) -> None:
        tables = []
        with contextlib.suppress(queue.Empty):
            tables.append(self._batches.get(timeout=timeout_s) if timeout_s > 0 else self._batches.get_nowait())
            while True:
                tables.append(self._batches.get_nowait())
        if tables:
            self._held = FrameTable.joined([self._held, *tables]).by_time()

    def _taken(self, settled: NDArray[np.bool_]) -> FrameTable:
        if settled.all():
            taken, self._held = self._held, FrameTable.empty()
        else:
            taken = self._held.chosen(np.flatnonzero(settled))
            self._held = self._held.chosen(np.flatnonzero(~settled)).compact()
        return taken.compact()

    def _look_at_the_clock(self) -> None:
        """Tell when somebody has set the system's clock; times of frames go on as they were."""
        stepped_ns = self._clock.stepped_ns
        if abs(stepped_ns - self._stepped_ns) > _TOLD_FROM_NS and self.endpoints:
            way = "forward" if stepped_ns > self._stepped_ns else "back"
            far = span_text(abs(stepped_ns - self._stepped_ns))
            said = f"The clock of this machine was set {way} by {far}; times of frames go on as they were."
            self._news.put(Told(self.endpoints[0], said, False))
            self._stepped_ns = stepped_ns

    def _receive(self, number: int, endpoint: Endpoint) -> None:
        while not self._stopped.is_set():
            try:
                table = endpoint.receive(_WAIT_S)
                if len(table):
                    self._lanes.know(number, endpoint.lanes)
                    self._put(self._lanes.on_lanes(number, table))
                for sentence in endpoint.said():
                    self._news.put(Told(endpoint, sentence, False))
            except (EndpointError, OSError) as error:
                # whatever a system says of a connection, this thread goes on
                self._news.put(Told(endpoint, str(error), True))
                self._reopen(endpoint)

    def _put(self, table: FrameTable) -> None:
        while True:
            try:
                self._batches.put(table, timeout=_WAIT_S)
                return
            except queue.Full:
                continue

    def _reopen(self, endpoint: Endpoint) -> None:
        endpoint.close()
        while not self._stopped.wait(_AGAIN_S):
            try:
                endpoint.open()
            except EndpointError:
                continue
            self._news.put(Told(endpoint, f"{endpoint.address} is there again.", False))
            return


def on_lanes(table: FrameTable, lanes: Sequence[int]) -> FrameTable:
    """Return the frames of some lanes, which then count among these."""
    rows = np.flatnonzero(np.isin(table.lane, lanes))
    number = np.zeros(int(table.lane.max(initial=0)) + 1, np.uint16)
    for new, old in enumerate(lanes):
        if old < len(number):
            number[old] = new
    here = table.chosen(rows)
    return replace(here, lane=number[here.lane]).compact()


def wait_until(monotonic_s: float, stopped: threading.Event) -> bool:
    """Wait for a moment of :func:`time.monotonic`, exactly; return whether it was stopped before."""
    while (left := monotonic_s - time.monotonic()) > 0.05:
        if stopped.wait(min(left - 0.04, 0.2)):
            return True
    if left > 0:
        # an event wakes a fraction of a millisecond late; sleeping is as exact as the system is
        time.sleep(left)
    return stopped.is_set()
