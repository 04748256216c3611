"""Sends recorded frames again, with the distances in time that they had."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.capture import Capture
from ..live.endpoint import Outgoing
from ..live.receiving import wait_until
from .kept import Kept

_CHUNK = 1 << 14
_CANNOT_BE_SENT = F.ERROR | F.PACKET
_KEPT_FLAGS = F.EXTENDED | F.REMOTE | F.LONG | F.RATE_SWITCH | F.ERROR_PASSIVE


@dataclass(frozen=True, slots=True, eq=False)
class Replay:
    """Which frames are sent, and where to.

    Attributes
    ----------
    capture
    rows : uint32 (n,)
        In order of time.
    targets
        By lane number, what takes its frames.
    speed
        How many times as fast as it was recorded.
    change
        What becomes of a frame before it goes out; None leaves it out.
    """

    capture: Capture
    rows: NDArray[np.uint32]
    targets: Mapping[int, Callable[[Outgoing], None]]
    speed: float = 1.0
    change: Callable[[int, Outgoing], Outgoing | None] | None = None

    def run(self, stopped: threading.Event, loops: int | None = 1, told: Callable[[float], None] | None = None) -> Kept:
        """Send everything, once or again and again (None); return how the times were kept.

        Raises
        ------
        AbacusError
            What a target raises.
        """
        kept = Kept()
        if not len(self.rows):
            return kept
        times = self.capture.frames.times(self.rows)
        length_s = float(times[-1] - times[0]) / 1e9 / self.speed
        begin = time.monotonic()
        done = 0
        while (loops is None or done < loops) and not stopped.is_set():
            self._once(begin, times, kept, stopped, told)
            # the last frame and the first of the next round are as far apart as frames are on average
            begin += length_s + length_s / max(len(self.rows) - 1, 1)
            done += 1
        return kept

    def _once(
        self, begin: float, times: NDArray[np.int64], kept: Kept, stopped: threading.Event,
        told: Callable[[float], None] | None,
    ) -> None:  # fmt: skip
        zero = int(times[0])
        for first in range(0, len(self.rows), _CHUNK):
            some = slice(first, first + _CHUNK)
            table = self.capture.frames.table(self.rows[some])
            offsets = ((times[some] - zero) / 1e9 / self.speed).tolist()
            facts = zip(table.lane.tolist(), table.address.tolist(), table.flags.tolist(), strict=True)
            for row, ((lane, address, flags), offset) in enumerate(zip(facts, offsets, strict=True)):
                frame: Outgoing | None = Outgoing(table.payload_of(row), address, flags & _KEPT_FLAGS)
                if self.change is not None and frame is not None:
                    frame = self.change(int(self.rows[first + row]), frame)
                if frame is None:
                    continue
                if wait_until(begin + offset, stopped):
                    return
                self.targets[lane](frame)
                kept.add(time.monotonic() - begin - offset)
            if told is not None:
                told(min((first + _CHUNK) / len(self.rows), 1.0))


def rows_to_send(
    capture: Capture, lanes: Sequence[int], chosen: NDArray[np.uint32] | None = None
) -> NDArray[np.uint32]:
    """Return the frames of some lanes that can be sent, in order of time; of ``chosen`` ones if these are given.

    Error frames are none, nor are answers of a device: what it answers is its own.
    """
    rows = capture.order.rows() if chosen is None else chosen
    flags = capture.frames.flags(rows)
    fits = np.isin(capture.frames.lanes(rows), np.asarray(lanes)) & (flags & np.uint32(_CANNOT_BE_SENT) == 0)
    modbus = [number for number, lane in enumerate(capture.lanes) if lane.protocol == "modbus"]
    answers = np.isin(capture.frames.lanes(rows), modbus) & (flags & np.uint32(F.ANSWER | F.EXCEPTION) > 0)
    return rows[fits & ~answers]
