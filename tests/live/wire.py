"""An endpoint that tests put frames into, and that keeps what is sent."""

from __future__ import annotations

import queue
import time

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.live.address import EndpointAddress
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.endpoint import Endpoint
from zesty_abacus.core.live.errors import EndpointError, LinkDownError


class Wire(Endpoint):
    """``answer`` takes each frame that is sent and returns what comes back, as (seconds later, payload, address)."""

    def __init__(self, name="wire", answer=lambda _frame: ()):
        super().__init__(EndpointAddress(f"test:{name}", "test", name), (Lane(name),))
        self.sent = []
        self.is_down = False
        self.opened = 0
        self._answer = answer
        self._frames = queue.Queue()

    def open(self):
        if self.is_down:
            raise EndpointError("the cable is out.")
        self.opened += 1

    def close(self):
        pass

    def put(self, payload, address=0x100, *, after_s=0.0, flags=F.RECEIVED):
        self._frames.put((time.time_ns() + round(after_s * 1e9), payload, address, flags))

    def receive(self, timeout_s):
        if self.is_down:
            raise LinkDownError("the cable is out.")
        batch = Batch()
        try:
            batch.add(*self._frames.get(timeout=timeout_s))
            while True:
                batch.add(*self._frames.get_nowait())
        except queue.Empty:
            return batch.table() if len(batch) else FrameTable.empty()

    def send(self, frame):
        if self.is_down:
            raise LinkDownError("the cable is out.")
        self.sent.append(frame)
        for after_s, payload, address in self._answer(frame):
            self.put(payload, address, after_s=after_s)
