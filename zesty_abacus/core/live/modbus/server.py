"""The answering side of Modbus: a bank of registers on a TCP port or a serial line."""

from __future__ import annotations

import os
import select
import selectors
import socket
import threading
import time

import serial

from ..address import EndpointAddress
from ..device_server import DeviceServer
from ..errors import EndpointError, LinkDownError
from ..serial_port import open_port
from .bank import RegisterBank
from .errors import TARGET_SILENT
from .requests import REFUSAL
from .rtu import LARGEST_UNIT, has_good_crc, request_size, silence_s, with_crc
from .tcp import HEADER, PORT
from .tcp import LARGEST_UNIT as LARGEST_TCP_UNIT

_MOST_CLIENTS = 64
_GATHERED = 1 << 16
_PIECE_APART_S = 0.02
_BROADCAST = 0


class ModbusServer(DeviceServer):
    """Serves a bank as one unit."""

    def __init__(self, address: EndpointAddress, unit: int, bank: RegisterBank) -> None:
        super().__init__(address)
        self._unit = unit
        self._bank = bank

    def _answer(self, unit: int, request: bytes) -> bytes | None:
        """Return the answer to a request; None if it is for another unit."""
        if unit != self._unit:
            self.counts.others += 1
            return None
        made = self._bank.answer(request)
        if made[0] & REFUSAL:
            self.counts.refused += 1
        else:
            self.counts.answered += 1
        return made


class TcpServer(ModbusServer):
    """Serves on a TCP port, on the host that the address names and no other."""

    def __init__(self, address: EndpointAddress, unit: int, bank: RegisterBank) -> None:
        super().__init__(address, unit, bank)
        self._listener: socket.socket | None = None
        self._selector = selectors.DefaultSelector()
        self._held: dict[socket.socket, bytes] = {}

    def open(self) -> None:
        host, port = self.address.host, self.address.port or PORT
        try:
            family = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0][0]
            self._listener = socket.create_server((host, port), family=family)
        except OSError as error:
            raise EndpointError(
                f"nothing can be served there ({error.strerror or error}).", where=str(self.address)
            ) from error
        self._listener.setblocking(False)
        self._selector.register(self._listener, selectors.EVENT_READ)
        self.where = "{}:{}".format(*self._listener.getsockname()[:2])

    def serve(self, stopped: threading.Event) -> None:
        while not stopped.is_set():
            for key, _ in self._selector.select(0.1):
                stream = key.fileobj
                assert isinstance(stream, socket.socket)
                if stream is self._listener:
                    self._accept()
                else:
                    self._read(stream)

    def _accept(self) -> None:
        assert self._listener is not None
        try:
            stream, _ = self._listener.accept()
        except OSError:
            return
        if len(self._held) >= _MOST_CLIENTS:
            stream.close()
            return
        stream.setblocking(False)
        stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._held[stream] = b""
        self._selector.register(stream, selectors.EVENT_READ)

    def _read(self, stream: socket.socket) -> None:
        try:
            data = stream.recv(_GATHERED)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        held = self._held[stream] + data
        rest = self._answered(stream, held) if data else None
        if rest is None:
            self._let_go(stream)
        else:
            self._held[stream] = rest

    def _answered(self, stream: socket.socket, held: bytes) -> bytes | None:
        """Answer every whole request; return what is left of them, None if this client cannot be served further."""
        while len(held) >= HEADER.size:
            transaction, protocol, size, unit = HEADER.unpack_from(held)
            if protocol or not 2 <= size <= LARGEST_TCP_UNIT:
                self.counts.damaged += 1
                return None
            if len(held) < HEADER.size + size - 1:
                return held
            request, held = held[HEADER.size : HEADER.size + size - 1], held[HEADER.size + size - 1 :]
            made = self._answer(unit, request)
            if made is None:
                made = bytes((request[0] | REFUSAL, TARGET_SILENT))
            answer = HEADER.pack(transaction, 0, len(made) + 1, unit) + made
            try:
                if stream.send(answer) < len(answer):
                    return None
            except OSError:
                # gone, or it asks without ever reading the answers
                return None
        return held

    def _let_go(self, stream: socket.socket) -> None:
        self._selector.unregister(stream)
        self._held.pop(stream, None)
        stream.close()

    def close(self) -> None:
        for stream in list(self._held):
            self._let_go(stream)
        if self._listener is not None:
            self._listener.close()
        self._selector.close()


class RtuServer(ModbusServer):
    """Serves on a serial line, where other units may be as well."""

    def __init__(self, address: EndpointAddress, unit: int, bank: RegisterBank) -> None:
        super().__init__(address, unit, bank)
        # a system hands bytes over in pieces, further apart than the line had them
        self._pause_s = max(silence_s(address), _PIECE_APART_S)
        self._port: serial.Serial | None = None

    def open(self) -> None:
        self._port = open_port(self.address)

    def close(self) -> None:
        if self._port is not None:
            self._port.close()

    def serve(self, stopped: threading.Event) -> None:
        held, last = b"", time.monotonic()
        while not stopped.is_set():
            piece = self._read()
            now = time.monotonic()
            if held and now - last > self._pause_s:
                # silence: what is held is whole, or will never be
                self._finish(held)
                held = b""
            if piece:
                last = now
                held = self._after(held + piece)

    def _after(self, held: bytes) -> bytes:
        """Answer the requests that are whole; return what is left."""
        while (size := request_size(held)) is not None and len(held) >= size and has_good_crc(held[:size]):
            self._finish(held[:size])
            held = held[size:]
        return held[-LARGEST_UNIT:]

    def _finish(self, unit: bytes) -> None:
        if not has_good_crc(unit):
            self.counts.damaged += 1
            return
        if unit[0] == _BROADCAST:
            # it is done by everybody and answered by nobody
            self._bank.answer(unit[1:-2])
            return
        made = self._answer(unit[0], unit[1:-2])
        # what others are asked is theirs to answer
        if made is not None and self._port is not None:
            self._port.write(with_crc(unit[:1] + made))

    def _read(self) -> bytes:
        assert self._port is not None
        try:
            if not select.select([self._port.fileno()], [], [], self._pause_s)[0]:
                return b""
            data = os.read(self._port.fileno(), LARGEST_UNIT)
            if not data:
                raise OSError(None, "it was unplugged")
            return data
        except (OSError, serial.SerialException) as error:
            why = getattr(error, "strerror", None) or error
            raise LinkDownError(f"the port is gone ({why}).", where=str(self.address)) from error
