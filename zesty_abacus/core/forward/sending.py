"""Hands readings of a spool to the other side, one after the other, until they are taken."""

from __future__ import annotations

import threading
from collections.abc import Callable

from .errors import AwayError, ForwardError
from .spool import Spool
from .way import Way

_AT_ONCE = 200
_SHORTEST_S, _LONGEST_S = 0.1, 5.0


class Sending:
    """A thread that empties a spool.

    Parameters
    ----------
    tell
        Told once when the other side goes away, and once when it is back.

    Attributes
    ----------
    sent
        How many readings were taken.
    failure
        What ended it before its time, None if nothing did.
    """

    def __init__(self, spool: Spool, way: Way, tell: Callable[[str], None]) -> None:
        self._spool, self._way, self._tell = spool, way, tell
        self._ended = threading.Event()
        self._came = threading.Event()
        self._is_away = False
        self.sent = 0
        self.failure: ForwardError | None = None
        self._thread = threading.Thread(target=self._run, name="forwarding", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Say that there is something new."""
        self._came.set()

    def is_empty(self) -> bool:
        """Return whether nothing waits, or nothing will be sent any more."""
        return self.failure is not None or not self._spool.count()

    def stop(self) -> None:
        """End, with what is on its way; what waits stays in the spool."""
        self._ended.set()
        self._came.set()
        self._thread.join()
        self._way.close()

    def _run(self) -> None:
        try:
            while not self._ended.is_set():
                readings = self._spool.first(_AT_ONCE)
                if not readings:
                    self._came.wait(_SHORTEST_S)
                    self._came.clear()
                for reading in readings:
                    if not self._delivered(reading.place, reading.body):
                        return
                    self._spool.taken(reading.number)
                    self.sent += 1
        except ForwardError as error:
            self.failure = error
        except Exception as error:
            # whoever waits for the spool to empty must hear of it
            self.failure = ForwardError(f"forwarding met a fault of its own ({error!r}).")

    def _delivered(self, place: str, body: bytes) -> bool:
        """Hand one reading over, however long it takes; False if it was ended before."""
        pause = _SHORTEST_S
        while True:
            try:
                self._way.deliver(place, body)
            except AwayError as error:
                if not self._is_away:
                    self._tell(f"{error} Readings are kept until it is back.")
                self._is_away = True
                if self._ended.wait(pause):
                    return False
                pause = min(pause * 2, _LONGEST_S)
                continue
            if self._is_away:
                self._tell("The other side is back; what was kept goes out.")
            self._is_away = False
            return True
