"""Bytes over TCP (RFC 9293), as client or, with ``listen=1``, as a server of several clients."""

from __future__ import annotations

import contextlib
import selectors
import socket
import threading

from ...frames import flags as F
from ...frames.capture import Lane
from ...frames.table import FrameTable
from ..address import EndpointAddress, check_port
from ..batch import Batch
from ..endpoint import Endpoint, Outgoing
from ..errors import EndpointError, LinkDownError
from ..registry import Opens

_PIECE = 1 << 16
_CONNECT_S = 5.0
_SEND_S = 5.0
_MOST_CLIENTS = 64


class TcpEndpoint(Endpoint):
    """Streams of bytes; each piece that comes is a frame, those of a connection joined are its stream."""

    def __init__(self, address: EndpointAddress) -> None:
        address.only("listen")
        check_port(address)
        self.listens = address.is_on("listen")
        super().__init__(address, (Lane(address.short, "network", "TCP"),))
        self._selector: selectors.BaseSelector | None = None
        self._listener: socket.socket | None = None
        self._streams: dict[socket.socket, int] = {}
        self._count = 0
        self._lock = threading.Lock()

    def open(self) -> None:
        self.close()
        self._selector = selectors.DefaultSelector()
        try:
            if self.listens:
                family = socket.getaddrinfo(self.address.host, self.address.port, type=socket.SOCK_STREAM)[0][0]
                self._listener = socket.create_server((self.address.host, self.address.port), family=family)
                self._listener.setblocking(False)
                self._selector.register(self._listener, selectors.EVENT_READ)
            else:
                self._take_in(socket.create_connection((self.address.host, self.address.port), timeout=_CONNECT_S))
        except OSError as error:
            self.close()
            raise EndpointError(
                f"it cannot be {'opened' if self.listens else 'connected'} ({error.strerror or error}).",
                where=str(self.address),
            ) from error

    def _take_in(self, stream: socket.socket) -> None:
        assert self._selector is not None
        stream.setblocking(False)
        stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        # a peer that vanished without a word would else never be noticed
        stream.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_KEEPIDLE, 10)
        stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_KEEPINTVL, 5)
        stream.setsockopt(socket.IPPROTO_TCP, socket.TCP_KEEPCNT, 3)
        with self._lock:
            self._streams[stream] = self._count
        self._count += 1
        self._selector.register(stream, selectors.EVENT_READ)

    def close(self) -> None:
        for stream in list(self._streams):
            self._let_go(stream)
        if self._listener is not None:
            self._listener.close()
        if self._selector is not None:
            self._selector.close()
        self._listener = self._selector = None

    def _let_go(self, stream: socket.socket) -> None:
        with self._lock:
            self._streams.pop(stream, None)
        if self._selector is not None:
            # it was never registered, or is closed already
            with contextlib.suppress(KeyError, ValueError):
                self._selector.unregister(stream)
        stream.close()

    def receive(self, timeout_s: float) -> FrameTable:
        if self._selector is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        batch = Batch()
        for key, _ in self._selector.select(timeout_s):
            stream = key.fileobj
            assert isinstance(stream, socket.socket)
            if stream is self._listener:
                self._accept()
            else:
                self._read(stream, batch)
        if not self._streams and not self.listens and not len(batch):
            raise LinkDownError("the other side has closed the connection.", where=str(self.address))
        return batch.table()

    def _accept(self) -> None:
        assert self._listener is not None
        try:
            stream, _ = self._listener.accept()
        except OSError:
            return  # who knocked has gone again
        if len(self._streams) >= _MOST_CLIENTS:
            stream.close()
            return
        self._take_in(stream)

    def _read(self, stream: socket.socket, batch: Batch) -> None:
        number = self._streams[stream]
        try:
            data = stream.recv(_PIECE)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        if not data:
            self._let_go(stream)
            return
        way = 0 if self.listens else F.ANSWER
        batch.add(self.clock.now_ns(), data, self.address.port << 32 | number, F.RECEIVED | way)

    def send(self, frame: Outgoing) -> None:
        with self._lock:
            streams = list(self._streams)
        if not streams and not self.listens:
            raise LinkDownError("it is not connected.", where=str(self.address))
        for stream in streams:
            try:
                _send_all(stream, frame.payload)
            except OSError as error:
                # the receiving side sees the end of it, and tells
                if not self.listens:
                    raise LinkDownError(f"the connection broke ({error.strerror}).", where=str(self.address)) from error


def _send_all(stream: socket.socket, data: bytes) -> None:
    """Send everything, waiting for room: the socket itself does not block, since it is read from as well."""
    with selectors.DefaultSelector() as waiting:
        waiting.register(stream, selectors.EVENT_WRITE)
        view = memoryview(data)
        while view:
            if not waiting.select(_SEND_S):
                raise TimeoutError(None, "the other side takes nothing")
            try:
                view = view[stream.send(view) :]
            except BlockingIOError:
                continue


OPENS = Opens("tcp", "tcp://127.0.0.1:5000", TcpEndpoint)
