"""CAN frames off a wave, one after another: classic ones and those with flexible data rate (ISO 11898-1:2015).

What is said of the line to each function is ``timing``: the time of a bit, of a bit of the faster part (NaN if nobody
knows it), where bits are taken, and how long the bit lasts in which the rate changes.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from . import result as R
from .can_bits import (
    ADDRESS_IS,
    BIT_NS,
    BROKEN,
    CLOCK,
    ENDED,
    FLAGS_ARE,
    HINT,
    LAST,
    MOST_BITS,
    ON_WIRE,
    PACE,
    RUN,
    STATE,
    TAKEN,
    begin_frame,
    crc_of,
    number_of,
    sample,
    take,
)  # fmt: skip
from .result import put_byte, put_frame, put_mark

UNREAD = -3
"""A long frame whose faster part cannot be read, or whose format is not of this standard."""

QUIET_BITS = 9.5
"""Whoever is out of step waits for a rest: nothing within a frame is as long (8 bits of a delimiter and 1)."""
_SWITCH_POINT = 0.5
"""The bit in which the rate changes may end not far behind its middle."""

_SHORT_CRC = 15, 0x4599, 0
# begun with a one, so that leading zeros count
_LONG_CRC = 17, 0x1685B, 1 << 16
_LONGEST_CRC = 21, 0x102899, 1 << 20
_MOST_OF_LONG_CRC = 16
_BYTES_OF_CODE = np.array([*range(9), 12, 16, 20, 24, 32, 48, 64], np.int64)


@njit(cache=True, nogil=True)
def decode_frames(time, level, first, end_ns, timing, marks, frames, payload, counts):  # type: ignore[no-untyped-def]
    """Take one frame after another: a fall after rest starts one."""
    pace, state = np.zeros(PACE), np.zeros(STATE, np.int64)
    wire, plain, when = np.zeros(MOST_BITS, np.uint8), np.zeros(MOST_BITS, np.uint8), np.zeros(MOST_BITS)
    bit_ns = timing[0]
    edge = _next_start(time, level, 0, first == 1, bit_ns)
    while edge < len(time):
        begin, first_byte = time[edge], counts[2]
        begin_frame(pace, state, begin, bit_ns, edge + 1)
        put_mark(marks, counts, begin, np.int64(begin + bit_ns), R.START, 0, 0)
        stop = _frame(time, level, end_ns, timing, pace, state, wire, plain, when, marks, payload, counts)
        end = min(np.int64(pace[CLOCK]), end_ns)
        if stop == BROKEN:
            put_mark(marks, counts, np.int64(pace[CLOCK] - 6 * pace[BIT_NS]), end, R.ERROR, 0, F.ERROR)
            state[FLAGS_ARE] |= F.ERROR | F.FRAMING
        elif stop == ENDED or stop == UNREAD:
            state[FLAGS_ARE] |= F.CUT_SHORT
        if state[TAKEN] > 0:
            put_frame(frames, counts, begin, end, state[ADDRESS_IS], state[FLAGS_ARE], first_byte)
        edge = max(edge + 1, state[HINT] - 1)
        while edge < len(time) and time[edge] < end - 0.5 * bit_ns:
            edge += 1
        edge = _next_start(time, level, edge, stop == 0 or stop == ENDED, bit_ns)


@njit(cache=True, nogil=True)
def _next_start(time, level, edge, rested, bit_ns):  # type: ignore[no-untyped-def]
    """Return the next fall, after quiet if the line is not known to rest."""
    while edge < len(time):
        quiet = edge == 0 or time[edge] - time[edge - 1] >= QUIET_BITS * bit_ns
        if level[edge] == 0 and (rested or quiet):
            break
        edge += 1
    return edge


@njit(cache=True, nogil=True)
def _frame(time, level, end_ns, timing, pace, state, wire, plain, when, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Read a frame whose start has been found; returns 0, ``ENDED``, ``BROKEN`` or ``UNREAD``."""
    point = timing[2]
    # the start bit, eleven bits of the identifier, whether data are asked for, and whether the identifier goes on
    stop = take(14, time, level, end_ns, point, pace, state, wire, plain, when)
    extended = stop == 0 and plain[13] == 1
    if extended:
        # eighteen bits more, and whether data are asked for
        stop = take(19, time, level, end_ns, point, pace, state, wire, plain, when)
    if state[TAKEN] > 11:
        _put_identifier(plain, when, state, marks, counts)
    control = np.int64(pace[CLOCK])
    if stop == 0:
        stop = take(1, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    if plain[state[TAKEN] - 1]:
        # no frame of this format asks for data
        state[FLAGS_ARE] = state[FLAGS_ARE] & ~F.REMOTE | F.LONG
        return _long_part(
            time, level, end_ns, timing, pace, state, wire, plain, when, control, marks, payload, counts
        )  # fmt: skip
    return _short_part(time, level, end_ns, point, pace, state, wire, plain, when, control, marks, payload, counts)


@njit(cache=True, nogil=True)
def _put_identifier(plain, when, state, marks, counts):  # type: ignore[no-untyped-def]
    """Note the identifier as far as it was taken."""
    state[ADDRESS_IS] = number_of(plain, 1, 11)
    last = 13
    if state[TAKEN] > 13 and plain[13] == 1:
        state[FLAGS_ARE] |= F.EXTENDED
        last = 32
        state[ADDRESS_IS] = state[ADDRESS_IS] << 18 | number_of(plain, 14, 18)
    if state[TAKEN] > last:
        asks = plain[32] if last == 32 else plain[12]
        state[FLAGS_ARE] |= F.REMOTE if asks else 0
        put_mark(marks, counts, np.int64(when[1]), np.int64(when[last]), R.ADDRESS, state[ADDRESS_IS], 0)


@njit(cache=True, nogil=True)
def _short_part(time, level, end_ns, point, pace, state, wire, plain, when, control, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Read length, data, CRC and end of a classic frame."""
    # a reserved bit of either level stands before the length of one with a long identifier
    reserved = 1 if state[FLAGS_ARE] & F.EXTENDED else 0
    stop = take(reserved + 4, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    code = number_of(plain, state[TAKEN] - 4, 4)
    put_mark(marks, counts, control, np.int64(pace[CLOCK]), R.CONTROL, code, 0)
    length = 0 if state[FLAGS_ARE] & F.REMOTE else min(code, 8)
    first = state[TAKEN]
    stop = take(8 * length, time, level, end_ns, point, pace, state, wire, plain, when)
    _put_data(first, pace, state, plain, when, marks, payload, counts)
    width, polynomial, start = _SHORT_CRC
    crc = crc_of(wire, state[ON_WIRE], width, polynomial, start, False)
    begin = np.int64(pace[CLOCK])
    if stop == 0:
        stop = take(width, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    _put_check(number_of(plain, state[TAKEN] - width, width), crc, begin, pace, state, marks, counts)
    if state[RUN] == 5:
        # a stuff bit still follows the last bit of the CRC
        stuff = sample(time, level, end_ns, point, pace, state)
        if stuff < 0 or stuff == state[LAST]:
            return ENDED if stuff < 0 else BROKEN
    delimiter = sample(time, level, end_ns, point, pace, state)
    return _tail(delimiter, time, level, end_ns, point, pace, state, marks, counts)


@njit(cache=True, nogil=True)
def _long_part(time, level, end_ns, timing, pace, state, wire, plain, when, control, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Read all behind the bit that says that a frame is long; its data run at another rate if a bit says so."""
    bit_ns, data_ns, point, switch_ns = timing
    stop = take(1, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0 or plain[state[TAKEN] - 1]:
        # the reserved bit: later formats set it
        return UNREAD if stop == 0 else stop
    stop = take(1, time, level, end_ns, min(point, _SWITCH_POINT), pace, state, wire, plain, when)
    if stop < 0:
        return stop
    switches = plain[state[TAKEN] - 1] == 1
    if switches:
        state[FLAGS_ARE] |= F.RATE_SWITCH
        switched_at = when[state[TAKEN] - 1]
        if not data_ns > 0:
            put_mark(marks, counts, control, np.int64(switched_at), R.CONTROL, 1, F.RATE_SWITCH)
            return UNREAD
        pace[CLOCK], pace[BIT_NS] = switched_at + switch_ns, data_ns
    stop = take(5, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    # the sender in trouble, and the length
    state[FLAGS_ARE] |= F.ERROR_PASSIVE if plain[state[TAKEN] - 5] else 0
    code = number_of(plain, state[TAKEN] - 4, 4)
    put_mark(marks, counts, control, np.int64(pace[CLOCK]), R.CONTROL, code, 0)
    first, length = state[TAKEN], _BYTES_OF_CODE[code]
    stop = take(8 * length, time, level, end_ns, point, pace, state, wire, plain, when)
    _put_data(first, pace, state, plain, when, marks, payload, counts)
    if stop == 0:
        stop = _long_check(length, time, level, end_ns, point, pace, state, wire, marks, counts)
    if stop < 0:
        return stop
    delimiter_at = pace[CLOCK]
    delimiter = sample(time, level, end_ns, point, pace, state)
    if switches:
        # the first part of this bit is fast, the rest slow: the other way round than where the rate changed
        pace[CLOCK], pace[BIT_NS] = delimiter_at + bit_ns + data_ns - switch_ns, bit_ns
    return _tail(delimiter, time, level, end_ns, point, pace, state, marks, counts)


@njit(cache=True, nogil=True)
def _put_data(first, pace, state, plain, when, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Note the whole bytes that were taken from a bit on."""
    for place in range(first, state[TAKEN] - 7, 8):
        value = number_of(plain, place, 8)
        end = when[place + 8] if place + 8 < state[TAKEN] else pace[CLOCK]
        put_mark(marks, counts, np.int64(when[place]), np.int64(end), R.DATA, value, 0)
        put_byte(payload, counts, value)


@njit(cache=True, nogil=True)
def _long_check(length, time, level, end_ns, point, pace, state, wire, marks, counts):  # type: ignore[no-untyped-def]
    """Read how many stuff bits there were, and the CRC; before each four bits stands the opposite of the last one."""
    width, polynomial, start = _LONG_CRC if length <= _MOST_OF_LONG_CRC else _LONGEST_CRC
    begin = np.int64(pace[CLOCK])
    stuffed = state[ON_WIRE] - state[TAKEN]
    sent = np.int64(0)
    last = state[LAST]
    for place in range(4 + width):
        if place % 4 == 0:
            stuff = sample(time, level, end_ns, point, pace, state)
            if stuff < 0 or stuff == last:
                return ENDED if stuff < 0 else BROKEN
        last = sample(time, level, end_ns, point, pace, state)
        if last < 0:
            return last
        sent = sent << 1 | last
        if place < 4:
            # the count is covered by the CRC behind it
            wire[state[ON_WIRE]] = last
            state[ON_WIRE] += 1
    crc = crc_of(wire, state[ON_WIRE], width, polynomial, start, True)
    _put_check(sent, _stuff_count(stuffed) << width | crc, begin, pace, state, marks, counts)
    return 0


@njit(cache=True, nogil=True)
def _stuff_count(count):  # type: ignore[no-untyped-def]
    """Return the count as it is sent: modulo 8, in Gray code, with a bit that makes its ones even."""
    gray = (count & 7) ^ (count & 7) >> 1
    return gray << 1 | ((gray ^ gray >> 1 ^ gray >> 2) & 1)


@njit(cache=True, nogil=True)
def _put_check(sent, wanted, begin, pace, state, marks, counts):  # type: ignore[no-untyped-def]
    bad = F.BAD_CHECK if sent != wanted else 0
    state[FLAGS_ARE] |= bad
    put_mark(marks, counts, begin, np.int64(pace[CLOCK]), R.CHECK, sent, bad)


@njit(cache=True, nogil=True)
def _tail(delimiter, time, level, end_ns, point, pace, state, marks, counts):  # type: ignore[no-untyped-def]
    """Read what stands behind the delimiter of the CRC: acknowledge and end, of which the last bit may be cut."""
    if delimiter < 0:
        return delimiter
    taken = sample(time, level, end_ns, point, pace, state)
    if taken < 0:
        return taken
    end = np.int64(pace[CLOCK])
    put_mark(marks, counts, np.int64(end - pace[BIT_NS]), end, R.TAKEN if taken == 0 else R.REFUSED, taken, 0)
    state[FLAGS_ARE] |= (F.REFUSED if taken else 0) | (0 if delimiter else F.FRAMING)
    for _ in range(7):
        bit = sample(time, level, end_ns, point, pace, state)
        if bit < 0:
            return bit
        if bit == 0:
            state[FLAGS_ARE] |= F.FRAMING
            break
    return 0
