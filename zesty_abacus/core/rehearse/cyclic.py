"""Sends at a period that does not drift, and says how well it was kept."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ..live.endpoint import Outgoing
from ..live.receiving import wait_until

_MOST_MEASURED = 100_000


@dataclass(slots=True)
class Kept:
    """How a period was kept.

    Attributes
    ----------
    sent
    late_s
        How much later than planned each of the last frames went out, in seconds.
    """

    sent: int = 0
    late_s: list[float] = field(default_factory=list)

    def add(self, late_s: float) -> None:
        """Count a frame."""
        self.sent += 1
        if len(self.late_s) < _MOST_MEASURED:
            self.late_s.append(late_s)

    def words(self) -> str:
        """Say how exact the period was."""
        if len(self.late_s) < 2:
            return f"{self.sent} sent"
        half, most = np.percentile(self.late_s, [50, 99]) * 1e3
        return f"{self.sent} sent; late by {half:.2f} ms in the middle, {most:.2f} ms at the 99th percentile"


def times_of(every_ns: int | None, for_ns: int | None) -> int | None:
    """Return how many frames are sent: one without a period, None for as many as come until it is stopped."""
    if every_ns is None:
        return 1
    return None if for_ns is None else max(-(-for_ns // every_ns), 1)


def send_cyclic(
    make: Callable[[int, float], Outgoing], send: Callable[[Outgoing], None], every_ns: int | None, for_ns: int | None,
    stopped: threading.Event,
) -> Kept:  # fmt: skip
    """Send frames, the first at once, each at its own multiple of the period after the first.

    Parameters
    ----------
    make
        Takes the frame's number and its planned time in seconds after the first.

    Raises
    ------
    AbacusError
        What making or sending raises.
    """
    kept = Kept()
    count = times_of(every_ns, for_ns)
    begin = time.monotonic()
    while count is None or kept.sent < count:
        planned = kept.sent * (every_ns or 0) / 1e9
        frame = make(kept.sent, planned)
        if wait_until(begin + planned, stopped):
            break
        send(frame)
        kept.add(time.monotonic() - begin - planned)
    return kept
