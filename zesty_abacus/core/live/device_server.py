"""A device that is played until somebody ends it, whatever carries what it is asked."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from dataclasses import dataclass

from .address import EndpointAddress
from .errors import EndpointError

_AGAIN_S = 1.0


@dataclass(slots=True)
class ServedCounts:
    """What a device was asked: requests answered, refused, meant for others, and damaged ones."""

    answered: int = 0
    refused: int = 0
    others: int = 0
    damaged: int = 0


class DeviceServer(ABC):
    """Answers as a device until it is stopped.

    Attributes
    ----------
    counts
    where
        At what it listens, in words.
    """

    def __init__(self, address: EndpointAddress) -> None:
        self.address = address
        self.counts = ServedCounts()
        self.where = str(address)

    @abstractmethod
    def open(self) -> None:
        """Begin to listen; raises EndpointError if it cannot be done."""

    @abstractmethod
    def serve(self, stopped: threading.Event) -> None:
        """Answer until the event is set; raises LinkDownError if the line is gone."""

    @abstractmethod
    def close(self) -> None:
        """Let go of everything."""

    def reopen(self, stopped: threading.Event) -> None:
        """Open it again, once a second, until it is there or the event is set."""
        self.close()
        while not stopped.wait(_AGAIN_S):
            try:
                self.open()
            except EndpointError:
                continue
            return
