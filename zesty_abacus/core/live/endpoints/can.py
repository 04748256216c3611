"""CAN by the kernel's SocketCAN: classic and flexible data rate, 11 and 29 bit, error frames.

Frames are ``struct can_frame`` and ``struct canfd_frame`` of ``linux/can.h``, error classes those of
``linux/can/error.h``.
"""

from __future__ import annotations

import errno
import socket
import struct
import time

from ...frames import flags as F
from ...frames.capture import Lane
from ...frames.table import FrameTable
from ...protocols import can
from ..address import EndpointAddress
from ..batch import Batch
from ..datagrams import DatagramReader
from ..endpoint import Endpoint, Outgoing
from ..errors import EndpointError, LinkDownError
from ..registry import Opens

_HEADER = struct.Struct("=IBBBB")
_EXTENDED, _REMOTE, _ERROR = 0x8000_0000, 0x4000_0000, 0x2000_0000
_BRS, _ESI = 1, 2
_CLASSIC, _FLEXIBLE = 8, 64
_CLASSIC_UNIT, _FLEXIBLE_UNIT = 16, 72
"""Payload sizes that a frame can have (ISO 11898-1:2015, 8.4.2.4)."""
_ALL_ERRORS = 0x1FFF_FFFF
_CAN_RAW_ERR_FILTER = 2
"""Of ``linux/can/raw.h``; Python does not name it."""
_PATIENCE_S = 1.0
"""How long a full transmit queue is waited for."""


class CanEndpoint(Endpoint):
    """A CAN interface of the kernel."""

    def __init__(self, address: EndpointAddress) -> None:
        address.only("rate")
        self._name = address.place
        rate = int(address.number("rate", 0, 1, 10_000_000)) or None
        super().__init__(address, (Lane(self._name, can.NAME, "CAN", rate),))
        self._socket: socket.socket | None = None
        self._reader: DatagramReader | None = None

    def open(self) -> None:
        self.close()
        try:
            made = socket.socket(socket.AF_CAN, socket.SOCK_RAW, socket.CAN_RAW)
        except OSError as error:
            raise EndpointError(
                "this system's kernel has no CAN.", where=str(self.address), hint="Load the modules can and can_raw."
            ) from error
        self._socket = made
        try:
            made.setsockopt(socket.SOL_CAN_RAW, socket.CAN_RAW_FD_FRAMES, 1)
            made.setsockopt(socket.SOL_CAN_RAW, _CAN_RAW_ERR_FILTER, _ALL_ERRORS)
            self._reader = DatagramReader(made, _FLEXIBLE_UNIT, self.clock)
            made.bind((self._name,))
        except OSError as error:
            self.close()
            raise EndpointError(
                f"there is no CAN interface {self._name} ({error.strerror}).", where=str(self.address),
                hint="Look with: ip link.",
            ) from error  # fmt: skip

    def close(self) -> None:
        if self._socket is not None:
            self._socket.close()
        self._socket = self._reader = None

    def receive(self, timeout_s: float) -> FrameTable:
        if self._reader is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        batch = Batch()
        try:
            for one in self._reader.waiting(timeout_s):
                if len(one.data) in (_CLASSIC_UNIT, _FLEXIBLE_UNIT):
                    _add(batch, one.time_ns, one.data, F.SENT if one.flags & socket.MSG_CONFIRM else F.RECEIVED)
        except LinkDownError as error:
            if not len(batch):
                raise LinkDownError(f"{self._name} is down.", where=str(self.address)) from error
        self.lost = self._reader.lost
        return batch.table()

    def send(self, frame: Outgoing) -> None:
        unit = unit_of(frame, str(self.address))
        waited = time.monotonic() + _PATIENCE_S
        while True:
            if self._socket is None:
                raise LinkDownError("it is not connected.", where=str(self.address))
            try:
                self._socket.send(unit)
                return
            except OSError as error:
                # the queue of an interface is short; a few frame times later there is room
                if error.errno in (errno.ENOBUFS, errno.EAGAIN) and time.monotonic() < waited:
                    time.sleep(0.0005)
                    continue
                raise self._refused(error) from error

    def _refused(self, error: OSError) -> EndpointError:
        if error.errno in (errno.ENOBUFS, errno.EAGAIN):
            return LinkDownError("nobody takes what is sent: the queue stays full.", where=str(self.address))
        if error.errno == errno.EINVAL:
            return EndpointError("the interface takes no long frames.", where=str(self.address))
        return LinkDownError(f"{self._name} is down ({error.strerror}).", where=str(self.address))


def unit_of(frame: Outgoing, where: str = "") -> bytes:
    """Return a frame as the kernel takes it.

    Raises
    ------
    EndpointError
        If no CAN frame is like this.
    """
    size, flags = len(frame.payload), frame.flags
    most = 0x1FFF_FFFF if flags & F.EXTENDED else 0x7FF
    if not 0 <= frame.address <= most:
        raise EndpointError(
            f"0x{frame.address:X} does not fit {'29' if flags & F.EXTENDED else '11'} bits.", where=where
        )
    is_long = bool(flags & F.LONG) or size > _CLASSIC
    if size > (_FLEXIBLE if is_long else _CLASSIC) or size not in can.DATA_SIZES:
        raise EndpointError(
            f"a frame of {size} bytes cannot be sent.", where=where,
            hint="It has up to 8 bytes, or 12, 16, 20, 24, 32, 48 or 64.",
        )  # fmt: skip
    if is_long and flags & F.REMOTE:
        raise EndpointError("a long frame cannot be remote.", where=where)
    number = frame.address | (_EXTENDED if flags & F.EXTENDED else 0) | (_REMOTE if flags & F.REMOTE else 0)
    if is_long:
        kind = (_BRS if flags & F.RATE_SWITCH else 0) | (_ESI if flags & F.ERROR_PASSIVE else 0)
        return _HEADER.pack(number, size, kind, 0, 0) + frame.payload.ljust(_FLEXIBLE, b"\0")
    return _HEADER.pack(number, size, 0, 0, 0) + frame.payload.ljust(_CLASSIC, b"\0")


def _add(batch: Batch, time_ns: int, unit: bytes, flags: int) -> None:
    number, size, kind, _, _ = _HEADER.unpack_from(unit)
    if len(unit) == _FLEXIBLE_UNIT:
        flags |= F.LONG | (F.RATE_SWITCH if kind & _BRS else 0) | (F.ERROR_PASSIVE if kind & _ESI else 0)
    if number & _ERROR:
        flags |= F.ERROR
        address = number & _ALL_ERRORS
    else:
        flags |= (F.EXTENDED if number & _EXTENDED else 0) | (F.REMOTE if number & _REMOTE else 0)
        address = number & (0x1FFF_FFFF if number & _EXTENDED else 0x7FF)
    size = 0 if flags & F.REMOTE else min(size, len(unit) - _HEADER.size)
    batch.add(time_ns, unit[_HEADER.size : _HEADER.size + size], address, flags)


OPENS = Opens("can", "can:vcan0", CanEndpoint)
