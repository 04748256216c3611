"""The asking side of Modbus, whatever carries it."""

from __future__ import annotations

from abc import ABC, abstractmethod

from ..address import EndpointAddress

ANSWER_S = 1.0


class ModbusClient(ABC):
    """Asks one request after the other and takes the answer to it.

    Parameters
    ----------
    address
        Its option ``timeout`` says how many seconds an answer may take.
    """

    def __init__(self, address: EndpointAddress) -> None:
        self.address = address
        self.timeout_s = address.number("timeout", ANSWER_S, 0.001, 3600)

    @abstractmethod
    def open(self) -> None:
        """Connect; raises EndpointError if it cannot be done."""

    @abstractmethod
    def close(self) -> None:
        """Let go of the connection; also twice."""

    @abstractmethod
    def exchange(self, unit: int, request: bytes) -> bytes:
        """Send a request to a unit and return the answer, function code first.

        Raises
        ------
        NoAnswerError
            If none comes in time.
        WrongAnswerError
            If what comes belongs to something else, or is damaged.
        LinkDownError
            If the connection was lost.
        """
