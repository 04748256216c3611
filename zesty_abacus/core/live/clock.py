"""Times of frames that the kernel gives none for."""

from __future__ import annotations

import time

_NO_STEP_NS = 10_000_000
"""Nobody sets a clock by so little, and two clocks that are read one after the other are no further apart."""
_AT_ONCE_NS = 1_000_000
_READINGS = 8


class SteadyClock:
    """Nanoseconds since 1970 that never go back: the system's clock when it was made, carried on by a steady one.

    Somebody who sets the clock, or a summer that ends, would else put later frames before earlier ones.
    """

    def __init__(self) -> None:
        self._ahead = time.time_ns() - time.monotonic_ns()

    def now_ns(self) -> int:
        """Return the time."""
        return time.monotonic_ns() + self._ahead

    @property
    def stepped_ns(self) -> int:
        """By how much the system's clock was set forward since this one began; 0 if it was not."""
        step = 0
        for _ in range(_READINGS):
            before, system, behind = time.monotonic_ns(), time.time_ns(), time.monotonic_ns()
            if behind - before < _AT_ONCE_NS:
                # a machine that stood still in between would look like a clock that was set
                step = system - before - self._ahead
                break
        return step if abs(step) > _NO_STEP_NS else 0

    def of_system(self, time_ns: int, stepped_ns: int) -> int:
        """Return a time that the system took as this clock has it.

        Parameters
        ----------
        stepped_ns
            As :attr:`stepped_ns` was a moment ago. What was taken before the clock was set is not moved.
        """
        if not stepped_ns:
            return time_ns
        now, moved = self.now_ns(), time_ns - stepped_ns
        return moved if abs(moved - now) < abs(time_ns - now) else time_ns

    def monotonic_s(self, time_ns: int) -> float:
        """Return the second of :func:`time.monotonic` that a time is."""
        return (time_ns - self._ahead) / 1e9
