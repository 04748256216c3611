"""Datagrams over UDP (RFC 768): the payload as it is, or frames in the form of :mod:`..frame_datagram`."""

from __future__ import annotations

import socket
from typing import Any

from ...errors import MisuseError
from ...frames import flags as F
from ...frames.capture import Lane
from ...frames.table import FrameTable
from ...protocols import can
from ..address import EndpointAddress, check_port
from ..batch import Batch
from ..datagrams import LARGEST_DATAGRAM, Datagram, DatagramReader, udp_socket
from ..endpoint import Endpoint, Outgoing
from ..errors import EndpointError, LinkDownError
from ..frame_datagram import LARGEST, MAGIC, SentFrame, pack_frame, unpack_frames
from ..registry import Opens
from ..samples import UdpSamples

_PAYLOAD, _FRAMES = "payload", "frames"
_KNOWN = F.named_flags()
_FLAGS = sum(bit for bit, _ in _KNOWN)


class UdpEndpoint(Endpoint):
    """A UDP socket: with ``listen=1`` it receives at its address and answers who sent last, else it sends there."""

    def __init__(self, address: EndpointAddress) -> None:
        address.only("listen", "form", "lane")
        check_port(address)
        self.listens = address.is_on("listen")
        self._carries_frames = address.word("form", _PAYLOAD, _PAYLOAD, _FRAMES) == _FRAMES
        protocol = can.NAME if self._carries_frames else "network"
        super().__init__(address, (Lane(address.options.get("lane") or address.short, protocol, "UDP"),))
        self._socket: socket.socket | None = None
        self._reader: DatagramReader | None = None
        self._peer: Any = None
        self._refused = 0

    def check_hears(self) -> None:
        if not self.listens:
            text = str(self.address)
            more = "&" if self.address.options else "?"
            raise MisuseError("nothing comes from where datagrams are sent.", where=text,
                              hint=f"Write {text}{more}listen=1.")  # fmt: skip

    def open(self) -> None:
        self.close()
        try:
            self._socket, where = udp_socket(self.address)
            self._reader = DatagramReader(self._socket, LARGEST_DATAGRAM, self.clock)
            if self.listens:
                self._socket.bind(where)
            else:
                self._peer = where
        except OSError as error:
            self.close()
            raise EndpointError(f"it cannot be opened ({error.strerror or error}).", where=str(self.address)) from error

    def close(self) -> None:
        if self._socket is not None:
            self._socket.close()
        self._socket = self._reader = None

    def receive(self, timeout_s: float) -> FrameTable:
        if self._reader is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        batch = Batch()
        for one in self._reader.waiting(timeout_s):
            if self.listens:
                self._peer = one.sender
            if self._carries_frames:
                self._add_frames(batch, one)
            else:
                batch.add(one.time_ns, one.data, self.address.port << 32, F.RECEIVED)
        self.lost = self._reader.lost + self._refused
        return batch.table()

    def _add_frames(self, batch: Batch, one: Datagram) -> None:
        frames = unpack_frames(one.data)
        if frames is None:
            # what is no datagram of ours is told as lost; a lane of frames has no room for it
            self._refused += 1
            return
        for frame in frames:
            batch.add(frame.time_ns, frame.payload, frame.address, frame.flags & _FLAGS, self._lane_number(frame.lane))

    def _lane_number(self, name: str) -> int:
        names = [lane.name for lane in self.lanes]
        if not name or name in names:
            return names.index(name) if name else 0
        if len(names) >= 64:
            return 0  # names come from outside; they must not fill the memory
        self.lanes = (*self.lanes, Lane(name, can.NAME, "UDP"))
        return len(names)

    def send(self, frame: Outgoing) -> None:
        if self._socket is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        if self._peer is None:
            raise EndpointError("nobody has sent anything yet that could be answered.", where=str(self.address))
        data = frame.payload
        if self._carries_frames:
            lane = self.lanes[min(frame.lane, len(self.lanes) - 1)].name
            said = SentFrame(self.clock.now_ns(), lane, frame.address, frame.flags, frame.payload)
            data = MAGIC + pack_frame(said)
        if len(data) > LARGEST:
            raise EndpointError(f"a datagram of {len(data)} bytes is too large.", where=str(self.address))
        try:
            self._socket.sendto(data, self._peer)
        except (ConnectionRefusedError, BlockingIOError):
            # nobody listens there at the moment, or the queue is full: a datagram is lost, as datagrams are
            self.lost += 1
        except OSError as error:
            raise LinkDownError(f"the network is down ({error.strerror}).", where=str(self.address)) from error


def _made(address: EndpointAddress) -> Endpoint:
    return UdpSamples(address) if "samples" in address.options else UdpEndpoint(address)


OPENS = Opens("udp", "udp://127.0.0.1:5000", _made)
