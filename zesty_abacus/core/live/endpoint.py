"""What frames come from and go to, whatever it is made of."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass

from ..frames.capture import Lane
from ..frames.table import FrameTable
from .address import EndpointAddress
from .clock import SteadyClock
from .errors import EndpointError


@dataclass(frozen=True, slots=True)
class Outgoing:
    """A frame that is to be sent.

    Attributes
    ----------
    payload
    address, flags
        As frames have them; flags of :mod:`zesty_abacus.core.frames.flags`.
    lane
        Of the endpoint, where it has several.
    """

    payload: bytes
    address: int = 0
    flags: int = 0
    lane: int = 0


class Endpoint(ABC):
    """A bus, a line, a socket or a simulated bench.

    It is opened, used from one thread for receiving and from any for sending, and closed. One that lost its connection
    raises :class:`LinkDownError` and may be opened again.

    Attributes
    ----------
    address
    lanes
        What its frames are seen on; those of most endpoints are on one.
    lost
        Frames that the system had no room for, as far as it says so.
    clock
        By which its frames have their times; whoever receives from several gives them one.
    tells_what_it_sends
        Whether what is sent comes back by :meth:`receive`, marked as sent.
    """

    tells_what_it_sends = False

    def __init__(self, address: EndpointAddress, lanes: tuple[Lane, ...]) -> None:
        self.address = address
        self.lanes = lanes
        self.lost = 0
        self.clock = SteadyClock()

    @abstractmethod
    def open(self) -> None:
        """Connect.

        Raises
        ------
        EndpointError
            If it cannot be done.
        """

    @abstractmethod
    def close(self) -> None:
        """Let go of everything; also after an error, and twice."""

    @abstractmethod
    def receive(self, timeout_s: float) -> FrameTable:
        """Return what has come, in order of time; waits for the first frame, not longer than the timeout.

        Raises
        ------
        LinkDownError
            If the connection was lost.
        """

    def send(self, frame: Outgoing) -> None:
        """Send one frame.

        Raises
        ------
        LinkDownError
            If the connection was lost.
        EndpointError
            If the endpoint takes no such frame.
        """
        raise EndpointError("it only receives.", where=str(self.address))

    def check_hears(self) -> None:
        """Raise MisuseError if nothing would ever come from it by itself."""
        return

    def said(self) -> Sequence[str]:
        """Return what there is to tell since the last time, as sentences; asked by the thread that receives."""
        return ()

    def named(self, name: str) -> None:
        """Call its lane by another name; of several lanes each keeps its own."""
        if name and len(self.lanes) == 1:
            one = self.lanes[0]
            self.lanes = (Lane(name, one.protocol, one.note, one.bit_rate),)
