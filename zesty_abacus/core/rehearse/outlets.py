"""Where frames may go: the lanes of open endpoints, each listening only until somebody lets it send."""

from __future__ import annotations

import threading
from collections.abc import Mapping

from ..errors import MisuseError
from ..layouts.model import Layout
from ..live.endpoint import Outgoing
from ..live.receiving import Receiving


class NotAllowedError(MisuseError):
    """A lane that is only listened to."""


class Outlets:
    """Sends by the lanes of what is being received.

    Nothing goes out on a lane before it was allowed; :meth:`stop_all` takes every leave back at once.
    """

    def __init__(self, receiving: Receiving) -> None:
        self._receiving = receiving
        self._allowed: set[str] = set()
        self._lock = threading.Lock()

    @property
    def lanes(self) -> Mapping[str, tuple[int, int]]:
        """The number of the endpoint and of the lane in it, by the lane's name."""
        return {
            lane.name: (number, at)
            for number, endpoint in enumerate(self._receiving.endpoints)
            for at, lane in enumerate(endpoint.lanes)
        }

    @property
    def allowed(self) -> frozenset[str]:
        """The lanes on which something may be sent."""
        with self._lock:
            return frozenset(self._allowed)

    def allow(self, lane: str, may: bool = True) -> None:
        """Let a lane send, or let it listen only; raises MisuseError if there is no such lane."""
        self._known(lane)
        with self._lock:
            (self._allowed.add if may else self._allowed.discard)(lane)

    def stop_all(self) -> None:
        """Let every lane listen only."""
        with self._lock:
            self._allowed.clear()

    def lane_for(self, layout: Layout, wanted: str = "") -> str:
        """Return the lane that a message goes out on: the one wanted, one it is for, or the only one.

        Raises
        ------
        MisuseError
            If that is not clear.
        """
        if wanted:
            self._known(wanted)
            return wanted
        lanes = self.lanes
        mine = [name for name in layout.applies.lanes if name in lanes]
        if len(mine) == 1:
            return mine[0]
        speaking = [
            lane.name for endpoint in self._receiving.endpoints for lane in endpoint.lanes
            if lane.protocol == layout.applies.protocol
        ]  # fmt: skip
        if not mine and len(speaking) == 1:
            return speaking[0]
        if not mine and len(lanes) == 1:
            return next(iter(lanes))
        raise MisuseError(
            "no lane is clearly its own.", where=layout.name, hint=f"Say which: {', '.join(lanes) or 'none is open'}."
        )

    def send(self, lane: str, frame: Outgoing) -> None:
        """Send a frame on a lane.

        Raises
        ------
        NotAllowedError
            If the lane only listens.
        EndpointError
            If it cannot be sent.
        """
        number, at = self._known(lane)
        if lane not in self.allowed:
            raise NotAllowedError("it only listens.", where=lane, hint="Let it send first.")
        self._receiving.send(number, Outgoing(frame.payload, frame.address, frame.flags, at))

    def _known(self, lane: str) -> tuple[int, int]:
        lanes = self.lanes
        if lane not in lanes:
            raise MisuseError(f"there is no lane {lane!r}.", hint=f"There are {', '.join(lanes) or 'none'}.")
        return lanes[lane]
