"""A Modbus device as an endpoint: what is sent are requests, what comes are they and their answers."""

from __future__ import annotations

import queue
import struct

from ...errors import MisuseError
from ...frames import flags as F
from ...frames.capture import Lane
from ...frames.table import FrameTable
from ...protocols.modbus import NAME, address_of, address_parts
from ...words import counted
from ..address import EndpointAddress
from ..batch import Batch
from ..endpoint import Endpoint, Outgoing
from ..errors import LinkDownError
from .client import ModbusClient
from .errors import NoAnswerError, RefusedError
from .requests import MOST_WRITTEN_REGISTERS, data_of_answer, data_of_request, register_of

_Row = tuple[int, bytes, int, int]
_MOST_WAITING = 100_000


class ModbusEndpoint(Endpoint):
    """One unit behind a connection. Requests and answers appear as frames, as recordings of Modbus have them.

    Attributes
    ----------
    unit
    """

    tells_what_it_sends = True

    def __init__(self, address: EndpointAddress, client: ModbusClient, unit: int) -> None:
        super().__init__(address, (Lane(address.short, NAME, "Modbus"),))
        self.unit = unit
        self._client = client
        self._rows: queue.Queue[_Row] = queue.Queue(_MOST_WAITING)
        self._is_open = False

    def check_hears(self) -> None:
        raise MisuseError("a Modbus device says nothing by itself.", where=str(self.address),
                          hint="Use zesty-abacus poll.")  # fmt: skip

    def open(self) -> None:
        self._client.open()
        self._is_open = True

    def close(self) -> None:
        self._client.close()
        self._is_open = False

    def ask(self, request: bytes, unit: int | None = None) -> bytes:
        """Send a request, function code first, and return what the answer carries.

        Raises
        ------
        ExchangeError
            If no good answer comes.
        LinkDownError
            If the connection was lost.
        """
        unit = self.unit if unit is None else unit
        address = address_of(unit, request[0], register_of(request))
        asked = self.clock.now_ns()
        try:
            answer = self._client.exchange(unit, request)
        except NoAnswerError:
            self._put((asked, data_of_request(request), address, F.SENT | F.UNANSWERED))
            raise
        came = max(self.clock.now_ns(), asked + 1)
        self._put((asked, data_of_request(request), address, F.SENT))
        try:
            data = data_of_answer(request, answer)
        except RefusedError as error:
            self._put((came, bytes((error.code,)), address, F.RECEIVED | F.ANSWER | F.EXCEPTION))
            raise RefusedError(error.code, where=str(self.address)) from None
        self._put((came, data, address, F.RECEIVED | F.ANSWER))
        return data

    def _put(self, row: _Row) -> None:
        try:
            self._rows.put_nowait(row)
        except queue.Full:
            self.lost += 1  # nobody has listened for long; what is asked goes on

    def receive(self, timeout_s: float) -> FrameTable:
        if not self._is_open:
            raise LinkDownError("it is not connected.", where=str(self.address))
        batch = Batch()
        try:
            row = self._rows.get(timeout=timeout_s)
            while True:
                batch.add(*row)
                row = self._rows.get_nowait()
        except queue.Empty:
            return batch.table()

    def send(self, frame: Outgoing) -> None:
        unit, function, register = address_parts(frame.address)
        self.ask(_request(function, register, frame.payload), unit or self.unit)


def _request(function: int, register: int, payload: bytes) -> bytes:
    """Return a frame of a request as the request itself; raises MisuseError if it cannot be one."""
    head = struct.pack(">BH", function, register)
    if function in (1, 2, 3, 4, 5, 6) and len(payload) == 2:
        return head + payload
    if function == 16 and payload and len(payload) % 2 == 0 and len(payload) <= 2 * MOST_WRITTEN_REGISTERS:
        return head + struct.pack(">HB", len(payload) // 2, len(payload)) + payload
    if function == 15 and payload:
        return head + struct.pack(">HB", len(payload) * 8, len(payload)) + payload
    raise MisuseError(f"function {function} with {counted(len(payload), 'byte')} is no request that can be sent.")
