"""Times of frames that the kernel gives none for."""

from __future__ import annotations

import time


class SteadyClock:
    """Nanoseconds since 1970 that never go back: the system's clock when it was made, carried on by a steady one.

    Somebody who sets the clock, or a summer that ends, would else put later frames before earlier ones.
    """

    def __init__(self) -> None:
        self._ahead = time.time_ns() - time.monotonic_ns()

    def now_ns(self) -> int:
        """Return the time."""
        return time.monotonic_ns() + self._ahead

    def monotonic_s(self, time_ns: int) -> float:
        """Return the second of :func:`time.monotonic` that a time is."""
        return (time_ns - self._ahead) / 1e9
