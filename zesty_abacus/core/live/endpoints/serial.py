"""Bytes of a serial port; with ``speak=modbus`` the requests and answers of Modbus RTU."""

from __future__ import annotations

import os
import select
import threading

import serial

from ...errors import MisuseError
from ...frames import flags as F
from ...frames.capture import Lane
from ...frames.table import FrameTable
from ..address import EndpointAddress
from ..batch import Batch
from ..endpoint import Endpoint, Outgoing
from ..errors import EndpointError, LinkDownError
from ..modbus.endpoint import ModbusEndpoint
from ..modbus.rtu import RtuClient
from ..registry import Opens
from ..serial_port import PORT_OPTIONS, open_port

_PIECE = 1 << 14
_SPEAKS = ("", "modbus")


class SerialEndpoint(Endpoint):
    """A serial port; each piece that comes is a frame, and joined they are the stream."""

    def __init__(self, address: EndpointAddress) -> None:
        address.only(*PORT_OPTIONS, "speak", "unit", "timeout")
        super().__init__(address, (Lane(address.short, "serial", "serial", int(address.number("baud", 9600, 1, 1e8))),))
        self._port: serial.Serial | None = None
        self._lock = threading.Lock()

    def open(self) -> None:
        self.close()
        self._port = open_port(self.address)

    def close(self) -> None:
        if self._port is not None:
            self._port.close()
        self._port = None

    def receive(self, timeout_s: float) -> FrameTable:
        if self._port is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        batch = Batch()
        try:
            if select.select([self._port.fileno()], [], [], timeout_s)[0]:
                data = os.read(self._port.fileno(), _PIECE)
                if not data:
                    raise OSError(None, "it was unplugged")
                batch.add(self.clock.now_ns(), data, 0, F.RECEIVED)
        except (OSError, serial.SerialException) as error:
            why = getattr(error, "strerror", None) or error
            raise LinkDownError(f"the port is gone ({why}).", where=str(self.address)) from error
        return batch.table()

    def send(self, frame: Outgoing) -> None:
        port = self._port
        if port is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        try:
            with self._lock:
                port.write(frame.payload)
        except serial.SerialTimeoutException as error:
            raise EndpointError("the line takes nothing.", where=str(self.address)) from error
        except (OSError, serial.SerialException) as error:
            raise LinkDownError(f"the port is gone ({error}).", where=str(self.address)) from error


def _make(address: EndpointAddress) -> Endpoint:
    if not address.place:
        raise MisuseError("it names no port.", where=str(address), hint="Write serial:/dev/ttyUSB0?baud=19200.")
    if address.word("speak", "", *_SPEAKS) == "modbus":
        address.only(*PORT_OPTIONS, "speak", "unit", "timeout")
        return ModbusEndpoint(address, RtuClient(address), int(address.number("unit", 1, 0, 247)))
    return SerialEndpoint(address)


OPENS = Opens("serial", "serial:/dev/ttyUSB0?baud=19200&parity=E", _make)
