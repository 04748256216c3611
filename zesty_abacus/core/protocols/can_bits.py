"""How many bits a CAN frame takes on the line, stuff bits counted (ISO 11898-1:2015, 10.4 and 10.5)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames.flags import ERROR, EXTENDED, LONG, RATE_SWITCH, REMOTE
from ..frames.table import FrameTable

_BEHIND = 13
"""Bits behind the stuffed part: CRC delimiter, acknowledge, its delimiter, seven of the end, three between frames."""
_ERROR_BITS = 17
"""An error flag of six bits, its delimiter of eight, three between frames."""
_POLYNOMIAL = 0x4599
_LONG_CRC = 28
_LONGER_CRC = 33
"""Count of stuff bits, CRC of 17 or 21 bits, and the fixed stuff bits among them (10.4.2.6)."""


def frame_bits(table: FrameTable) -> NDArray[np.float64]:
    """Return the bits of each frame, float64 (n,).

    Of a frame that switches its rate only what goes at the nominal one, since the other is not recorded.
    """
    return _bits(table.address, table.flags, table.start, table.size, table.payload)


@njit(cache=True, nogil=True)
def _bits(address, flags, start, size, payload):  # type: ignore[no-untyped-def]
    found = np.empty(len(address))
    bits = np.zeros(64 + 64 * 8, np.uint8)
    for i in range(len(address)):
        if flags[i] & np.uint32(ERROR):
            found[i] = _ERROR_BITS
            continue
        count = _head(bits, address[i], flags[i], size[i])
        if flags[i] & np.uint32(LONG) and flags[i] & np.uint32(RATE_SWITCH):
            found[i] = _stuffed(bits, count) + _BEHIND
            continue
        if not flags[i] & np.uint32(REMOTE):
            for byte in range(size[i]):
                for bit in range(8):
                    bits[count] = (payload[start[i] + byte] >> (7 - bit)) & 1
                    count += 1
        if flags[i] & np.uint32(LONG):
            found[i] = _stuffed(bits, count) + (_LONG_CRC if size[i] <= 16 else _LONGER_CRC) + _BEHIND
        else:
            count = _with_crc(bits, count)
            found[i] = _stuffed(bits, count) + _BEHIND
    return found


@njit(cache=True, nogil=True)
def _put(bits, count, value, width):  # type: ignore[no-untyped-def]
    for bit in range(width):
        bits[count + bit] = (value >> (width - 1 - bit)) & 1
    return count + width


@njit(cache=True, nogil=True)
def _head(bits, address, flags, size):  # type: ignore[no-untyped-def]
    """Write what stands before the data: start, identifier, control bits; return how many bits it is."""
    remote = 1 if flags & np.uint32(REMOTE) else 0
    count = _put(bits, 0, 0, 1)
    if flags & np.uint32(EXTENDED):
        count = _put(bits, count, address >> 18, 11)
        count = _put(bits, count, 3, 2)
        count = _put(bits, count, address & 0x3FFFF, 18)
    else:
        count = _put(bits, count, address, 11)
    if flags & np.uint32(LONG):
        # remote substitute, extension bit, FD format, reserved, rate switch, state of the sender
        count = _put(bits, count, 0, 1)
        if not flags & np.uint32(EXTENDED):
            count = _put(bits, count, 0, 1)
        count = _put(bits, count, 2, 2)
        count = _put(bits, count, 1 if flags & np.uint32(RATE_SWITCH) else 0, 1)
        if flags & np.uint32(RATE_SWITCH):
            return count
        count = _put(bits, count, 0, 1)
        return _put(bits, count, min(size, 15), 4)
    count = _put(bits, count, remote, 1)
    count = _put(bits, count, 0, 2)
    return _put(bits, count, min(size, 8), 4)


@njit(cache=True, nogil=True)
def _with_crc(bits, count):  # type: ignore[no-untyped-def]
    crc = 0
    for i in range(count):
        turn = bits[i] ^ (crc >> 14)
        crc = (crc << 1) & 0x7FFF
        if turn:
            crc ^= _POLYNOMIAL
    return _put(bits, count, crc, 15)


@njit(cache=True, nogil=True)
def _stuffed(bits, count):  # type: ignore[no-untyped-def]
    """Return how many bits there are with those stuffed in behind five equal ones."""
    total = count
    run = 0
    before = 2
    for i in range(count):
        run = run + 1 if bits[i] == before else 1
        before = bits[i]
        if run == 5:
            # the bit stuffed in is the other one, and counts for the next run
            total += 1
            before = 1 - bits[i]
            run = 1
    return total
