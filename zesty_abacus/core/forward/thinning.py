"""How often a message is forwarded at most."""

from __future__ import annotations

from .readings import Reading


class AtMost:
    """Lets a reading of a message on a lane through only so long after the last one, on the capture's clock.

    Parameters
    ----------
    period_ns
        0 lets everything through.
    """

    def __init__(self, period_ns: int) -> None:
        self._period_ns = period_ns
        self._last: dict[tuple[str, str], int] = {}

    def takes(self, reading: Reading) -> bool:
        """Return whether a reading goes on; readings come in order of time."""
        key = reading.lane, reading.message
        last = self._last.get(key)
        if last is not None and 0 <= reading.time_ns - last < self._period_ns:
            return False
        self._last[key] = reading.time_ns
        return True
