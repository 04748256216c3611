"""A poll that goes on by itself while other things are done."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from ...layouts.model import Layout
from ..errors import EndpointError
from ..receiving import wait_until
from .endpoint import ModbusEndpoint
from .poll import Poll, PollCounts


class Polling:
    """Asks for the registers of a map at a period, on a thread; whoever receives from the endpoint sees the answers.

    Parameters
    ----------
    endpoint
        Open, and received from by somebody else.
    told
        Told what goes wrong, each sentence once until it is another one, and an empty one when it goes well again.
    """

    def __init__(
        self, endpoint: ModbusEndpoint, layout: Layout, every_s: float, told: Callable[[str], None]
    ) -> None:  # fmt: skip
        self._poll = Poll(endpoint, layout, is_received_elsewhere=True)
        self._every_s = every_s
        self._told = told
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True, name=f"poll {layout.name}")
        self._thread.start()

    @property
    def counts(self) -> PollCounts:
        """How it went so far."""
        return self._poll.counts

    def _run(self) -> None:
        begin, number, last = time.monotonic(), 0, ""
        while not self._over.is_set():
            said = ""
            for came in self._poll.round():
                if isinstance(came, EndpointError):
                    said = str(came)
            if said != last:
                self._told(said)
                last = said
            # a period that was missed is left out, not caught up with
            number = max(number + 1, int((time.monotonic() - begin) / self._every_s))
            wait_until(begin + number * self._every_s, self._over)

    def stop(self) -> None:
        """Ask no more."""
        self._over.set()
        self._thread.join()
