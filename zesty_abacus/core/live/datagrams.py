"""What datagram sockets have in common: times by the kernel, what was lost, everything that waits taken at once."""

from __future__ import annotations

import errno
import select
import socket
import struct
import time
from collections.abc import Iterator
from typing import Any, NamedTuple

from .address import EndpointAddress
from .clock import SteadyClock
from .errors import LinkDownError

# of <asm-generic/socket.h>; Python names none of them
_SO_RCVBUFFORCE = 33
_SO_TIMESTAMPNS = 35
_SO_MEMINFO = 55
_TIMESPEC = struct.Struct("@qq")
_MEMINFO = struct.Struct("@9I")
"""Of <linux/sock_diag.h>; the last number is what was dropped."""
_ROOM = socket.CMSG_SPACE(_TIMESPEC.size)
_MOST_AT_ONCE = 4096
_RECEIVE_BUFFER = 32 << 20
"""A second of a CAN bus at its full rate is some 16 000 frames, for each of which the kernel counts a kilobyte."""
_DOWN = {errno.ENETDOWN, errno.ENODEV, errno.ENXIO, errno.EBADF, errno.ENETUNREACH}


LARGEST_DATAGRAM = 65_535


def udp_socket(address: EndpointAddress) -> tuple[socket.socket, Any]:
    """Return a socket for datagrams to or from an address, and that address as sockets take it; raises OSError."""
    family, kind, _, _, where = socket.getaddrinfo(
        address.host, address.port, type=socket.SOCK_DGRAM, flags=socket.AI_PASSIVE
    )[0]
    return socket.socket(family, kind), where


def _make_room(stream: socket.socket) -> None:
    """Let a flood outlast a program that is busy for a moment, or a machine that is."""
    try:
        # the system's limit is a tenth of a second of a full CAN bus; who may administer the network goes beyond it
        stream.setsockopt(socket.SOL_SOCKET, _SO_RCVBUFFORCE, _RECEIVE_BUFFER)
    except PermissionError:
        stream.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _RECEIVE_BUFFER)


class Datagram(NamedTuple):
    """One datagram: its time in nanoseconds since 1970, its bytes, the flags of its message, and who sent it."""

    time_ns: int
    data: bytes
    flags: int
    sender: object


class DatagramReader:
    """Takes datagrams from an open socket.

    Attributes
    ----------
    lost
        Datagrams that the socket had no room for since it was made.
    """

    def __init__(self, stream: socket.socket, largest: int, clock: SteadyClock) -> None:
        self._socket = stream
        self._largest = largest
        self._clock = clock
        self.lost = 0
        stream.setblocking(False)
        stream.setsockopt(socket.SOL_SOCKET, _SO_TIMESTAMPNS, 1)
        _make_room(stream)

    def waiting(self, timeout_s: float) -> Iterator[Datagram]:
        """Yield what waits, after waiting for the first one not longer than the timeout.

        Raises
        ------
        LinkDownError
            If the interface is down or gone.
        """
        came = select.select([self._socket], [], [], timeout_s)[0]
        # asked for, not taken from the datagrams: after the last one of a flood none comes that would tell
        self.lost = _MEMINFO.unpack(self._socket.getsockopt(socket.SOL_SOCKET, _SO_MEMINFO, _MEMINFO.size))[-1]
        if not came:
            return
        stepped_ns = self._clock.stepped_ns
        for _ in range(_MOST_AT_ONCE):
            try:
                data, ancillary, flags, sender = self._socket.recvmsg(self._largest, _ROOM)
            except (BlockingIOError, InterruptedError):
                return
            except ConnectionRefusedError:
                continue  # a port unreachable that an earlier datagram of ours met; there may be more to read
            except OSError as error:
                if error.errno in _DOWN:
                    raise LinkDownError(f"the connection is down ({error.strerror}).") from error
                raise
            yield Datagram(self._clock.of_system(_time_of(ancillary), stepped_ns), data, flags, sender)


def _time_of(ancillary: list[tuple[int, int, bytes]]) -> int:
    """Return when the kernel says that a datagram came, by the system's clock."""
    for level, kind, data in ancillary:
        if level == socket.SOL_SOCKET and kind == _SO_TIMESTAMPNS and len(data) >= _TIMESPEC.size:
            seconds, nanoseconds = _TIMESPEC.unpack_from(data)
            return int(seconds * 1_000_000_000 + nanoseconds)
    return time.time_ns()
