"""How many bits a CAN frame takes on the line, stuff bits counted (ISO 11898-1:2015, 10.4 and 10.5)."""

from __future__ import annotations

from functools import cache

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
_BEFORE = 0
"""The state of stuffing before the first bit: no bit has been equal to another."""
_LONG_CRC = 28
_LONGER_CRC = 33
"""Count of stuff bits, CRC of 17 or 21 bits, and the fixed stuff bits among them (10.4.2.6)."""


def frame_bits(table: FrameTable) -> NDArray[np.float64]:
    """Return the bits of each frame, float64 (n,).

    Of a frame that switches its rate only what goes at the nominal one, since the other is not recorded.
    """
    return _bits(table.address, table.flags, table.start, table.size, table.payload, *_tables())


@njit(cache=True, nogil=True)
def _bits(address, flags, start, size, payload, crc_of, stuffing):  # type: ignore[no-untyped-def]
    found = np.empty(len(address))
    bits = np.zeros(64, np.uint8)
    for i in range(len(address)):
        if flags[i] & np.uint32(ERROR):
            found[i] = _ERROR_BITS
            continue
        count = _head(bits, address[i], flags[i], size[i])
        stuffed, state = _stuffed(bits, 0, count, _BEFORE)
        is_long = flags[i] & np.uint32(LONG)
        if is_long and flags[i] & np.uint32(RATE_SWITCH):
            found[i] = count + stuffed + _BEHIND
            continue
        # in signed numbers: the compiler makes floats of signed and unsigned ones together
        crc = 0 if is_long else _crc(bits, count)
        data = 0 if flags[i] & np.uint32(REMOTE) else np.int64(size[i])
        for place in range(start[i], start[i] + data):
            byte = np.int64(payload[place])
            crc = ((crc << 8) & 0x7FFF) ^ crc_of[((crc >> 7) ^ byte) & 0xFF]
            step = stuffing[state, byte]
            stuffed += step >> 4
            state = step & 15
        count += data * 8
        if is_long:
            found[i] = count + stuffed + (_LONG_CRC if size[i] <= 16 else _LONGER_CRC) + _BEHIND
        else:
            _put(bits, 0, crc, 15)
            found[i] = count + 15 + stuffed + _stuffed(bits, 0, 15, state)[0] + _BEHIND
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
def _crc(bits, count):  # type: ignore[no-untyped-def]
    crc = 0
    for i in range(count):
        turn = np.int64(bits[i]) ^ (crc >> 14)
        crc = (crc << 1) & 0x7FFF
        if turn:
            crc ^= _POLYNOMIAL
    return crc


@njit(cache=True, nogil=True)
def _stuffed(bits, begin, end, state):  # type: ignore[no-untyped-def]
    """Return how many bits are stuffed in behind five equal ones, and the state behind them.

    A state is twice how many equal bits came last, plus which bit that was; nothing before is :data:`_BEFORE`.
    """
    stuffed = 0
    run, before = state >> 1, state & 1
    for i in range(begin, end):
        run = run + 1 if bits[i] == before and run else 1
        before = np.int64(bits[i])
        if run == 5:
            # the bit stuffed in is the other one, and counts for the next run
            stuffed += 1
            before = 1 - bits[i]
            run = 1
    return stuffed, run * 2 + before


@cache
def _tables() -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return what a byte makes of the CRC, int64 (256,), and of the stuffing, int64 (states, 256): 16 times the
    bits stuffed in, plus the state behind it. Bit by bit a long recording takes three times as long."""
    crc_of, stuffing = np.zeros(256, np.int64), np.zeros((10, 256), np.int64)
    for byte in range(256):
        bits = np.array([byte >> (7 - bit) & 1 for bit in range(8)], np.uint8)
        # the CRC is that of the byte alone, in the top bits of a register of 15
        crc_of[byte] = _crc(bits, 8)
        for state in range(10):
            stuffed, behind = _stuffed(bits, 0, 8, state)
            stuffing[state, byte] = stuffed * 16 + behind
    return crc_of, stuffing
