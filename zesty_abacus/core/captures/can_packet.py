"""Packets of capture files: CAN frames, and network packets as they are.

Two link types carry them: ``LINKTYPE_CAN_SOCKETCAN`` (227) is the bare SocketCAN header, identifier in
network byte order; ``LINKTYPE_LINUX_SLL`` (113) puts 16 bytes before it that tell the direction. The FD
flags byte is that of ``linux/can.h``.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from .room import FrameRoom

LINK_CAN = 227
LINK_COOKED = 113
NETWORK_LINKS = (1, 101, 251, 256)
"""Ethernet, bare IP, and the Bluetooth LE link layer without and with the receiver's notes."""
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
    "the packet is empty",
)
EMPTY = 8
NONSENSE_LENGTH = 4
CUT_OFF = 5


def packet_room() -> FrameRoom:
    """Return room for packets: of a file a frame takes 16 bytes at least, as an empty packet, a broken piece 12."""
    return FrameRoom(0, 16, 12)


def room_arguments(room: FrameRoom) -> tuple[NDArray, ...]:
    """Return the arrays in the order the kernels take them, the payload as words."""
    return room.arguments(words_of(room.payload, np.uint32))


def words_of(data: NDArray[np.uint8], dtype: type[np.unsignedinteger]) -> NDArray[np.unsignedinteger]:
    """Return the words that begin at each byte, lowest byte first: one load instead of four or eight.

    Element ``i`` is the word in bytes ``i`` to ``i + size - 1``; the elements overlap and are not aligned.
    """
    size = np.dtype(dtype).itemsize
    count = max(len(data) - size + 1, 0)
    return np.ndarray((count,), np.dtype(dtype).newbyteorder("<"), data, strides=(1,))


@njit(cache=True, nogil=True, inline="always")
def turned(word):  # type: ignore[no-untyped-def]
    """Return a 32-bit word with its bytes the other way round."""
    return (word >> 24) | ((word >> 8) & 0xFF00) | ((word << 8) & 0xFF0000) | ((word & 0xFF) << 24)


@njit(cache=True, nogil=True, inline="always")
def read_u32(words, at, swapped):  # type: ignore[no-untyped-def]
    """Read the 32 bits at a byte; ``swapped`` means highest byte first."""
    word = np.int64(words[at])
    return turned(word) if swapped else word


@njit(cache=True, nogil=True, inline="always")
def usual_frame(words, at, captured, link, payload, used):  # type: ignore[no-untyped-def]
    """Take a whole classic data frame, which nearly all packets are.

    Returns (identifier, -1 for any other packet; flags; bytes). The chunk must go on for 24 bytes after the packet.
    """
    identifier = turned(np.int64(words[at]))
    facts = np.int64(words[at + 4])
    length = facts & 0xFF
    if link != LINK_CAN or length > 8 or facts & 0x0400 or captured < HEADER + length or identifier & 0x6000_0000:
        return np.int64(-1), 0, np.int64(0)
    # eight bytes in two words, since the target has room to spare
    payload[used] = words[at + HEADER]
    payload[used + 4] = words[at + HEADER + 4]
    if identifier & 0x8000_0000:
        return identifier & 0x1FFF_FFFF, F.EXTENDED, length
    return identifier & 0x7FF, 0, length


@njit(cache=True, nogil=True)
def _take_whole(data, at, captured, link, address, flags, start, size, payload, row, used):  # type: ignore[no-untyped-def]
    """Take a network packet as it is; :mod:`zesty_abacus.core.links.network` takes it apart."""
    for i in range(captured):
        payload[used + i] = np.uint32(data[at + i])
    address[row] = link
    flags[row] = F.PACKET
    start[row] = used
    size[row] = captured
    return 0, used + captured


def is_read(link: int) -> bool:
    """Return whether packets of a link type are read."""
    return link in (LINK_CAN, LINK_COOKED, *NETWORK_LINKS)


@njit(cache=True, nogil=True)
def take_frame(  # type: ignore[no-untyped-def]
    data, words, at, captured, link, address, flags, start, size, payload, row, used
):
    """Take one packet into row ``row``; return (0 or reason, payload bytes used after it).

    ``words`` and ``payload`` are views of :func:`words_of`.
    """
    bits = 0
    if link == LINK_COOKED:
        if captured < _COOKED_HEADER + HEADER:
            return 1, used
        protocol = np.int64(data[at + 14]) << 8 | np.int64(data[at + 15])
        if protocol != 0x000C and protocol != 0x000D:
            return _take_whole(data, at, captured, link, address, flags, start, size, payload, row, used)
        bits = F.SENT if data[at + 1] == 4 else F.RECEIVED
        at += _COOKED_HEADER
        captured -= _COOKED_HEADER
    elif link in NETWORK_LINKS:
        if captured == 0:
            # it says nothing, and millions of them would take more memory than their file
            return EMPTY, used
        return _take_whole(data, at, captured, link, address, flags, start, size, payload, row, used)
    elif link != LINK_CAN:
        return 3, used
    if captured < HEADER:
        return 1, used
    identifier = read_u32(words, at, True)
    facts = read_u32(words, at + 4, False)
    length = facts & 0xFF
    fd = facts >> 8 & 0xFF
    if length > _LONGEST:
        return 2, used
    if length > 8 or fd & 0x04:
        bits |= F.LONG
        if fd & 0x01:
            bits |= F.RATE_SWITCH
        if fd & 0x02:
            bits |= F.ERROR_PASSIVE
    number = identifier & 0x1FFF_FFFF
    if identifier & 0x2000_0000:
        bits |= F.ERROR
    else:
        if identifier & 0x8000_0000:
            bits |= F.EXTENDED
        else:
            number &= 0x7FF
        if identifier & 0x4000_0000:
            bits |= F.REMOTE
            length = 0
    kept = min(length, captured - HEADER)
    if kept < length:
        bits |= F.CUT_SHORT
    for i in range(kept):
        # each word's low byte is the byte; the rest is room that the next one fills
        payload[used + i] = np.uint32(data[at + HEADER + i])
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
