"""CAN frames inside packet captures.

Two link types carry them: ``LINKTYPE_CAN_SOCKETCAN`` (227) is the bare SocketCAN header, identifier in
network byte order; ``LINKTYPE_LINUX_SLL`` (113) puts 16 bytes before it that tell the direction. The FD
flags byte is that of ``linux/can.h``.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable

LINK_CAN = 227
LINK_COOKED = 113
HEADER = 8
_COOKED_HEADER = 16
_LONGEST = 64

MAX_PACKET = 262_144
"""The largest packet that any capture file may hold; larger lengths are nonsense."""

REASONS = (
    "",
    "the packet is shorter than a CAN header",
    "the CAN length does not fit the frame format or the packet",
    "the packet is not a CAN frame",
    "the length of the packet is nonsense; reading went on at the next packet found",
    "the file ends inside a packet",
    "the packet names an interface that was not described",
    "the time is out of range",
)
NONSENSE_LENGTH = 4
CUT_OFF = 5


class PacketColumns:
    """Room for the frames of one chunk, in the form the kernels take.

    Parameters
    ----------
    data_bytes
        Size of the chunk; every frame needs at least 24 bytes of it.
    """

    def __init__(self, data_bytes: int) -> None:
        room = data_bytes // 24 + 2
        self.time_ns = np.empty(room, np.int64)
        self.lane = np.zeros(room, np.uint16)
        self.address = np.empty(room, np.int64)
        self.flags = np.empty(room, np.uint32)
        self.start = np.empty(room, np.int64)
        self.size = np.empty(room, np.uint32)
        self.payload = np.empty(data_bytes + _LONGEST, np.uint8)
        self.bad = np.empty((data_bytes // 12 + 2, 2), np.int64)

    def arguments(self) -> tuple[NDArray, ...]:
        """Return the arrays in the order the kernels take them."""
        return (
            self.time_ns, self.lane, self.address, self.flags, self.start, self.size, self.payload, self.bad,
        )  # fmt: skip

    def table(self, frames: int, used: int) -> FrameTable:
        """Return the first frames as a table of its own."""
        return FrameTable(
            self.time_ns[:frames].copy(),
            self.lane[:frames].copy(),
            self.address[:frames].copy(),
            self.flags[:frames].copy(),
            self.start[:frames].copy(),
            self.size[:frames].copy(),
            self.payload[:used].copy(),
        )


@njit(cache=True, nogil=True)
def read_u32(data, at, swapped):  # type: ignore[no-untyped-def]
    """Read 32 bits; ``swapped`` means highest byte first."""
    a, b, c, d = np.int64(data[at]), np.int64(data[at + 1]), np.int64(data[at + 2]), np.int64(data[at + 3])
    if swapped:
        return a << 24 | b << 16 | c << 8 | d
    return d << 24 | c << 16 | b << 8 | a


@njit(cache=True, nogil=True)
def take_frame(  # type: ignore[no-untyped-def]
    data, at, captured, link, address, flags, start, size, payload, row, used
):
    """Take one packet into row ``row``; return (0 or reason, payload bytes used after it)."""
    bits = 0
    if link == LINK_COOKED:
        if captured < _COOKED_HEADER + HEADER:
            return 1, used
        protocol = np.int64(data[at + 14]) << 8 | np.int64(data[at + 15])
        if protocol != 0x000C and protocol != 0x000D:
            return 3, used
        bits = F.SENT if data[at + 1] == 4 else F.RECEIVED
        at += _COOKED_HEADER
        captured -= _COOKED_HEADER
    elif link != LINK_CAN:
        return 3, used
    if captured < HEADER:
        return 1, used
    identifier = read_u32(data, at, True)
    length = np.int64(data[at + 4])
    fd = data[at + 5]
    if length > _LONGEST or data[at + 4] & 0x80:
        return 2, used
    if length > 8 or fd & 0x04:
        bits |= F.LONG
        if fd & 0x01:
            bits |= F.RATE_SWITCH
        if fd & 0x02:
            bits |= F.ERROR_PASSIVE
    if identifier & 0x2000_0000:
        bits |= F.ERROR
        number = identifier & 0x1FFF_FFFF
    elif identifier & 0x8000_0000:
        bits |= F.EXTENDED
        number = identifier & 0x1FFF_FFFF
    else:
        number = identifier & 0x7FF
    if identifier & 0x4000_0000 and not identifier & 0x2000_0000:
        bits |= F.REMOTE
        length = 0
    kept = min(length, captured - HEADER)
    if kept < length:
        bits |= F.CUT_SHORT
    for i in range(kept):
        payload[used + i] = data[at + HEADER + i]
    address[row] = number
    flags[row] = bits
    start[row] = used
    size[row] = kept
    return 0, used + kept


@njit(cache=True, nogil=True)
def put_frame(data, at, number, bits, payload, start, size):  # type: ignore[no-untyped-def]
    """Write the SocketCAN header and payload of one frame; return the position after it."""
    identifier = np.int64(number)
    if bits & F.ERROR:
        identifier |= 0x2000_0000
    else:
        if bits & F.EXTENDED:
            identifier |= 0x8000_0000
        if bits & F.REMOTE:
            identifier |= 0x4000_0000
    fd = 0
    if bits & F.LONG:
        fd = 4 | (1 if bits & F.RATE_SWITCH else 0) | (2 if bits & F.ERROR_PASSIVE else 0)
    for i in range(4):
        data[at + i] = (identifier >> (24 - 8 * i)) & 255
    data[at + 4] = size
    data[at + 5] = fd
    data[at + 6] = 0
    data[at + 7] = 0
    for i in range(size):
        data[at + HEADER + i] = payload[start + i]
    return at + HEADER + size


@njit(cache=True, nogil=True)
def put_u32(data, at, number):  # type: ignore[no-untyped-def]
    """Write 32 bits, lowest byte first; return the position after them."""
    for i in range(4):
        data[at + i] = (number >> (8 * i)) & 255
    return at + 4
