"""Modbus over TCP (MODBUS Messaging on TCP/IP Implementation Guide V1.0b): seven bytes before each unit."""

from __future__ import annotations

import socket
import struct
import time

from ..address import EndpointAddress
from ..errors import EndpointError, LinkDownError
from .client import ModbusClient
from .errors import NoAnswerError, WrongAnswerError

PORT = 502
HEADER = struct.Struct(">HHHB")
"""Transaction, protocol (0), how many bytes follow, unit."""
LARGEST_UNIT = 254
"""Bytes that may follow the length: unit and protocol unit."""


class TcpClient(ModbusClient):
    """A connection to a Modbus server."""

    def __init__(self, address: EndpointAddress) -> None:
        super().__init__(address)
        self._socket: socket.socket | None = None
        self._transaction = 0
        self._held = b""

    def open(self) -> None:
        self.close()
        try:
            self._socket = socket.create_connection((self.address.host, self.address.port or PORT), self.timeout_s)
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        except OSError as error:
            raise EndpointError(
                f"it cannot be connected ({error.strerror or error}).", where=str(self.address)
            ) from error

    def close(self) -> None:
        if self._socket is not None:
            self._socket.close()
        self._socket, self._held = None, b""

    def exchange(self, unit: int, request: bytes) -> bytes:
        self._transaction = self._transaction % 0xFFFF + 1
        try:
            if self._socket is None:
                raise LinkDownError("it is not connected.", where=str(self.address))
            self._socket.sendall(HEADER.pack(self._transaction, 0, len(request) + 1, unit) + request)
            return self._answer(unit, time.monotonic() + self.timeout_s)
        except TimeoutError:
            raise NoAnswerError(
                f"unit {unit} does not answer within {self.timeout_s:g} s.", where=str(self.address)
            ) from None
        except OSError as error:
            self.close()
            raise LinkDownError(
                f"the connection broke ({error.strerror or error}).", where=str(self.address)
            ) from error

    def _answer(self, unit: int, until: float) -> bytes:
        while True:
            transaction, protocol, size, answering = HEADER.unpack(self._take(HEADER.size, until))
            if protocol or not 2 <= size <= LARGEST_UNIT:
                # there is no telling where the next unit begins
                self.close()
                raise WrongAnswerError("what comes is no Modbus.", where=str(self.address))
            answer = self._take(size - 1, until)
            # an answer that comes late belongs to a request that was given up
            if transaction == self._transaction:
                if answering != unit:
                    raise WrongAnswerError(f"unit {answering} answers for unit {unit}.", where=str(self.address))
                return answer

    def _take(self, count: int, until: float) -> bytes:
        assert self._socket is not None
        while len(self._held) < count:
            left = until - time.monotonic()
            if left <= 0:
                raise TimeoutError
            self._socket.settimeout(left)
            data = self._socket.recv(4096)
            if not data:
                raise ConnectionResetError(None, "the device has closed it")
            self._held += data
        taken, self._held = self._held[:count], self._held[count:]
        return taken
