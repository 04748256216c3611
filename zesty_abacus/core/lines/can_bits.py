"""Bits of CAN off a wave (ISO 11898-1): a clock in step with the falling edges, stuff bits taken out, CRCs over both.

A frame is read by calls one after another, which share arrays: ``pace`` (the clock), ``state`` (how far it is),
``wire`` (the bits as they were on it), ``plain`` (those that are no stuff bits) and ``when`` (the moment at which each
of these begins). A call takes many bits, since each counts references to its arrays. What a call returns below zero
ends the frame.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit

ENDED = -1
"""The recording ends before the bit is taken."""
BROKEN = -2
"""A bit is like the five before it where stuffing should be."""

# of pace
CLOCK, BIT_NS = 0, 1
PACE = 2
# of state
HINT, LEVEL, LAST, RUN, ON_WIRE, TAKEN, ADDRESS_IS, FLAGS_ARE = range(8)
STATE = 8

IS_STUFF = 2
"""Stands beside the level of a stuff bit in ``wire``."""
MOST_BITS = 1024
"""A frame of 64 bytes has 29 + 12 + 512 bits and a stuff bit for each four of them."""


@njit(cache=True, nogil=True)
def begin_frame(pace, state, begin_ns, bit_ns, hint):  # type: ignore[no-untyped-def]
    """Put the clock in step with the edge that begins a frame; ``hint`` is the edge behind it."""
    pace[CLOCK] = begin_ns
    pace[BIT_NS] = bit_ns
    state[:] = 0
    state[HINT] = hint
    state[LAST] = -1


@njit(cache=True, nogil=True)
def take(count, stuffing, time, level, end_ns, point, pace, state, wire, plain, when):  # type: ignore[no-untyped-def]
    """Take so many bits at their sampling points, with ``stuffing`` those that are no stuff bits.

    Each falling edge puts the clock in step again, as a controller does (hard and soft synchronisation). Without
    stuffing bits are not noted on the wire, which is what CRCs are worked out over. Returns 0, ``ENDED`` or ``BROKEN``.
    """
    # in local variables, which the compiler keeps in registers
    clock, bit_ns = pace[CLOCK], pace[BIT_NS]
    hint, now, last, run = state[HINT], state[LEVEL], state[LAST], state[RUN]
    on_wire, taken = state[ON_WIRE], state[TAKEN]
    wanted = taken + count
    stop = 0
    while taken < wanted:
        moment = clock + point * bit_ns
        if moment > end_ns:
            stop = ENDED
            break
        while hint < len(time) and time[hint] <= moment:
            now = level[hint]
            if now == 0 and abs(time[hint] - clock) < 0.5 * bit_ns:
                clock = float(time[hint])
                moment = clock + point * bit_ns
            hint += 1
        clock += bit_ns
        stuffed = stuffing and run == 5
        if stuffed and now == last:
            stop = BROKEN
            break
        run = run + 1 if now == last else 1
        last = now
        if stuffing:
            wire[on_wire] = now | IS_STUFF if stuffed else now
            on_wire += 1
        if not stuffed:
            plain[taken], when[taken] = now, clock - bit_ns
            taken += 1
    pace[CLOCK] = clock
    state[HINT], state[LEVEL], state[LAST], state[RUN] = hint, now, last, run
    state[ON_WIRE], state[TAKEN] = on_wire, taken
    return stop


@njit(cache=True, nogil=True)
def number_of(plain, first, count):  # type: ignore[no-untyped-def]
    """Return the number that bits are, the most significant first."""
    value = np.int64(0)
    for place in range(first, first + count):
        value = value << 1 | plain[place]
    return value


@njit(cache=True, nogil=True)
def crc_of(bits, count, width, polynomial, start, with_stuff):  # type: ignore[no-untyped-def]
    """Return the remainder of the first bits; CAN FD takes stuff bits in, the classic format does not."""
    crc = np.int64(start)
    mask = (1 << width) - 1
    for place in range(count):
        if bits[place] & IS_STUFF and not with_stuff:
            continue
        top = crc >> (width - 1) & 1
        crc = crc << 1 & mask
        if top ^ (bits[place] & 1):
            crc ^= polynomial
    return crc
