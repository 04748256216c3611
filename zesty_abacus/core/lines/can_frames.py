"""CAN frames off a wave, one after another: classic ones and those with flexible data rate (ISO 11898-1:2015).

What is said of the line to each function is ``timing``: the time of a bit, of a bit of the faster part (NaN if nobody
knows it), where bits are taken, and how long the bit lasts in which the rate changes.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..protocols.can import CRC_15, CRC_17, CRC_21, DATA_SIZES, MOST_OF_CRC_17
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
    take,
)  # fmt: skip
from .result import put_byte, put_frame, put_mark

UNREAD = -3
"""A long frame whose faster part cannot be read, or whose format is not of this standard."""

QUIET_BITS = 9.5
"""Whoever is out of step waits for a rest: nothing within a frame is as long (8 bits of a delimiter and 1)."""
_END_BITS = 7
"""The delimiter of the acknowledge and the end; its last bit is not waited for, since a receiver may cut it."""
_SWITCH_POINT = 0.5
"""The bit in which the rate changes may end not far behind its middle."""

_BYTES_OF_CODE = np.array(DATA_SIZES, np.int64)


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
        put_mark(marks, counts, begin, min(np.int64(begin + bit_ns), end_ns), R.START, 0, 0)
        stop = _frame(time, level, end_ns, timing, pace, state, wire, plain, when, marks, payload, counts)
        end = min(np.int64(pace[CLOCK]), end_ns)
        if stop == BROKEN:
            put_mark(marks, counts, max(begin, np.int64(pace[CLOCK] - 6 * pace[BIT_NS])), end, R.ERROR, 0, F.ERROR)
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
    stop = take(14, True, time, level, end_ns, point, pace, state, wire, plain, when)
    extended = stop == 0 and plain[13] == 1
    if extended:
        # eighteen bits more, and whether data are asked for
        stop = take(19, True, time, level, end_ns, point, pace, state, wire, plain, when)
    if state[TAKEN] > 11:
        _put_identifier(plain, when, state, marks, counts)
    control = np.int64(pace[CLOCK])
    if stop == 0:
        stop = take(1, True, time, level, end_ns, point, pace, state, wire, plain, when)
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
    stop = take(reserved + 4, True, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    code = number_of(plain, state[TAKEN] - 4, 4)
    put_mark(marks, counts, control, np.int64(pace[CLOCK]), R.CONTROL, code, 0)
    length = 0 if state[FLAGS_ARE] & F.REMOTE else min(code, 8)
    first = state[TAKEN]
    stop = take(8 * length, True, time, level, end_ns, point, pace, state, wire, plain, when)
    _put_data(first, pace, state, plain, when, marks, payload, counts)
    width, polynomial, start = CRC_15
    crc = crc_of(wire, state[ON_WIRE], width, polynomial, start, False)
    begin = np.int64(pace[CLOCK])
    if stop == 0:
        stop = take(width, True, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    _put_check(number_of(plain, state[TAKEN] - width, width), crc, begin, pace, state, marks, counts)
    if state[RUN] == 5:
        # a stuff bit still follows the last bit of the CRC
        before = state[LAST]
        stop = take(1, False, time, level, end_ns, point, pace, state, wire, plain, when)
        if stop < 0 or state[LAST] == before:
            return stop if stop < 0 else BROKEN
    stop = take(1, False, time, level, end_ns, point, pace, state, wire, plain, when)
    return stop if stop < 0 else _tail(time, level, end_ns, point, pace, state, wire, plain, when, marks, counts)


@njit(cache=True, nogil=True)
def _long_part(time, level, end_ns, timing, pace, state, wire, plain, when, control, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Read all behind the bit that says that a frame is long; its data run at another rate if a bit says so."""
    bit_ns, data_ns, point, switch_ns = timing
    stop = take(1, True, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0 or plain[state[TAKEN] - 1]:
        # the reserved bit: later formats set it
        return UNREAD if stop == 0 else stop
    stop = take(1, True, time, level, end_ns, min(point, _SWITCH_POINT), pace, state, wire, plain, when)
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
    stop = take(5, True, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    # the sender in trouble, and the length
    state[FLAGS_ARE] |= F.ERROR_PASSIVE if plain[state[TAKEN] - 5] else 0
    code = number_of(plain, state[TAKEN] - 4, 4)
    put_mark(marks, counts, control, np.int64(pace[CLOCK]), R.CONTROL, code, 0)
    first, length = state[TAKEN], _BYTES_OF_CODE[code]
    stop = take(8 * length, True, time, level, end_ns, point, pace, state, wire, plain, when)
    _put_data(first, pace, state, plain, when, marks, payload, counts)
    if stop == 0:
        stop = _long_check(length, time, level, end_ns, point, pace, state, wire, plain, when, marks, counts)
    delimiter_at = pace[CLOCK]
    if stop == 0:
        stop = take(1, False, time, level, end_ns, point, pace, state, wire, plain, when)
    if stop < 0:
        return stop
    if switches:
        # the first part of this bit is fast, the rest slow: the other way round than where the rate changed
        pace[CLOCK], pace[BIT_NS] = delimiter_at + bit_ns + data_ns - switch_ns, bit_ns
    return _tail(time, level, end_ns, point, pace, state, wire, plain, when, marks, counts)


@njit(cache=True, nogil=True)
def _put_data(first, pace, state, plain, when, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Note the whole bytes that were taken from a bit on."""
    for place in range(first, state[TAKEN] - 7, 8):
        value = number_of(plain, place, 8)
        end = when[place + 8] if place + 8 < state[TAKEN] else pace[CLOCK]
        put_mark(marks, counts, np.int64(when[place]), np.int64(end), R.DATA, value, 0)
        put_byte(payload, counts, value)


@njit(cache=True, nogil=True)
def _long_check(length, time, level, end_ns, point, pace, state, wire, plain, when, marks, counts):  # type: ignore[no-untyped-def]
    """Read how many stuff bits there were, and the CRC; before each four bits stands the opposite of the last one."""
    width, polynomial, start = CRC_17 if length <= MOST_OF_CRC_17 else CRC_21
    begin, stuffed = np.int64(pace[CLOCK]), state[ON_WIRE] - state[TAKEN]
    sent, left = np.int64(0), 4 + width
    while left > 0:
        first, before, count = state[TAKEN], state[LAST], min(left, 4)
        stop = take(1 + count, False, time, level, end_ns, point, pace, state, wire, plain, when)
        if state[TAKEN] > first and plain[first] == before:
            return BROKEN
        if stop < 0:
            return stop
        sent = sent << count | number_of(plain, first + 1, count)
        if left == 4 + width:
            # the count of stuff bits is covered by the CRC behind it
            wire[state[ON_WIRE] : state[ON_WIRE] + 4] = plain[first + 1 : first + 5]
            state[ON_WIRE] += 4
        left -= count
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
def _tail(time, level, end_ns, point, pace, state, wire, plain, when, marks, counts):  # type: ignore[no-untyped-def]
    """Read what stands behind the delimiter of the CRC, which was taken: acknowledge, its delimiter, and the end."""
    state[FLAGS_ARE] |= 0 if state[LAST] else F.FRAMING
    first, hint = state[TAKEN], state[HINT]
    stop = take(1 + _END_BITS, False, time, level, end_ns, point, pace, state, wire, plain, when)
    for place in range(first, state[TAKEN]):
        end = when[place + 1] if place + 1 < state[TAKEN] else pace[CLOCK]
        if place == first:
            refused = plain[place]
            put_mark(marks, counts, np.int64(when[place]), np.int64(end), R.REFUSED if refused else R.TAKEN, refused, 0)
            state[FLAGS_ARE] |= F.REFUSED if refused else 0
        elif plain[place] == 0:
            # whatever begins here is looked at anew
            state[FLAGS_ARE] |= F.FRAMING
            pace[CLOCK], state[HINT] = end, hint
            return 0
    return stop
