"""Bits taken off pulses, burst by burst, in each of the ways in which pulses carry them."""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from ..frames import flags as F

CODINGS = ("width", "distance", "manchester", "plain", "biphase")
WIDTH, DISTANCE, MANCHESTER, PLAIN, BIPHASE = range(5)
_MOST_ONES = 64


@njit(cache=True, nogil=True)
def take_bits(time, level, begin_ns, end_ns, coding, unit, split, gap, longest, one_is_long, transitions,  # type: ignore[no-untyped-def]
          start, end, bit, bounds, flags, leaders):  # fmt: skip
    """Take bits burst by burst; return (bursts, bits, leaders)."""
    count = len(time)
    bursts = used = led = 0
    i = 0
    while i < count:
        if level[i] != 1:
            i += 1
            continue
        # a burst: pulses i, i+2, ... while the spaces between them are short
        stop = i
        while stop + 2 < count and time[stop + 2] - time[stop + 1] < gap:
            stop += 2
        closed = stop + 1 < count
        last = stop + 1 if closed else stop
        # a burst closer to an end of the recording than the pause between bursts may go on beyond it; one that is high
        # when the recording begins has a pulse before the first that rises
        bad = np.uint32(0)
        room = gap if gap < 1e17 else 4 * unit
        quiet_since = time[i - 1] if i > 0 else begin_ns
        if time[i] - quiet_since < room or not closed or end_ns - time[last] < room:
            bad = np.uint32(F.CUT_SHORT)
        at = i
        # a first pulse much longer than any symbol wakes the receiver and carries nothing
        if coding != PLAIN and at + 2 <= last and time[at + 1] - time[at] > 2.2 * max(split, unit):
            long_mark = time[at + 1] - time[at] > longest or coding == DISTANCE
            if long_mark:
                leaders[led, 0] = time[at]
                leaders[led, 1] = time[at + 2]
                led += 1
                at += 2
        before = used
        if coding == WIDTH:
            while at + 1 <= last:
                width = time[at + 1] - time[at]
                until = time[at + 2] if at + 2 <= last else time[at + 1]
                start[used], end[used] = time[at], until
                bit[used] = (width > split) == one_is_long
                used += 1
                at += 2
        elif coding == DISTANCE:
            while at + 2 <= last:
                space = time[at + 2] - time[at + 1]
                start[used], end[used] = time[at], time[at + 2]
                bit[used] = (space > split) == one_is_long
                used += 1
                at += 2
        elif coding == MANCHESTER or coding == BIPHASE:
            if coding == MANCHESTER:
                used, broken = _halves(time, at, last, unit, one_is_long, start, end, bit, used)
            else:
                used, broken = _changes(time, at, last, unit, one_is_long, start, end, bit, used)
            if broken:
                bad |= np.uint32(F.FRAMING)
        else:
            while at + 1 <= last:
                width = time[at + 1] - time[at]
                bits = max(np.int64(width / unit + 0.5), 1)
                if transitions:
                    # a line that does not change any more is silent; its ones would take the room of what follows
                    bits = min(bits, _MOST_ONES)
                # no width may use up the room of those after it
                bits = max(min(bits, len(bit) - 2 - used - (count - at)), 1)
                now = level[at] == 1
                for k in range(bits):
                    start[used] = time[at] + np.int64(width * k / bits)
                    end[used] = time[at] + np.int64(width * (k + 1) / bits)
                    if transitions:
                        bit[used] = 0 if k == 0 else 1
                    else:
                        bit[used] = now == one_is_long
                    used += 1
                at += 1
        if used > before:
            flags[bursts] = bad
            bursts += 1
            bounds[bursts] = used
        i = stop + 2
    return bursts, used, led


@njit(cache=True, nogil=True)
def _halves(time, at, last, unit, rises, start, end, bit, used):  # type: ignore[no-untyped-def]
    """Read Manchester halves; of the two ways to pair them the one with fewer equal pairs is meant.

    ``rises`` says that a 1 is low in its first half and high in its second. The burst begins high; whether its
    first half bit was low before is tried as well, since a low half at the begin cannot be seen.
    """
    best_offset = best_bad = 1 << 30
    for offset in range(2):
        bad = 0
        place = offset
        for edge in range(at, last):
            halves = max(np.int64((time[edge + 1] - time[edge]) / unit + 0.5), 1)
            if halves > 2:
                bad += 1
            # two equal halves in one bit: an edge is missing in its middle
            for half in range(1, halves):
                if (place + half) % 2 == 1:
                    bad += 1
            place += halves
        if bad < best_bad:
            best_bad, best_offset = bad, offset
    place = best_offset
    previous = np.int64(-1)
    half_begin = float(time[at]) - best_offset * unit
    if best_offset:
        previous = 0
    for edge in range(at, last):
        width = time[edge + 1] - time[edge]
        halves = max(np.int64(width / unit + 0.5), 1)
        now = 1 if (edge - at) % 2 == 0 else 0
        for half in range(min(halves, 4)):
            if place % 2 == 0:
                previous = now
                half_begin = time[edge] + width * half / halves
            else:
                start[used] = np.int64(half_begin)
                end[used] = time[edge] + np.int64(width * (half + 1) / halves)
                bit[used] = (now > previous) == rises if now != previous else now == rises
                used += 1
            place += 1
    if place % 2 == 1 and previous == 1:
        # the last half is low and cannot be told from the pause after it
        start[used] = np.int64(half_begin)
        end[used] = time[last] + np.int64(unit)
        bit[used] = not rises
        used += 1
    return used, best_bad > 0


@njit(cache=True, nogil=True)
def _changes(time, at, last, unit, long_is_one, start, end, bit, used):  # type: ignore[no-untyped-def]
    """Read bits that each begin with a change; one that changes in its middle, too, is two short levels (biphase mark).

    ``long_is_one`` turns them round (biphase space). A last long level that is low is not told from the pause.
    """
    broken = False
    edge = at
    while edge < last:
        width = time[edge + 1] - time[edge]
        is_long = width > 1.5 * unit
        step = 1 if is_long else 2
        if width > 2.5 * unit:
            broken = True
        elif not is_long and edge + 2 <= last and time[edge + 2] - time[edge + 1] > 1.5 * unit:
            # half a bit alone: what follows begins at the long one
            broken = True
            edge += 1
            continue
        start[used] = time[edge]
        end[used] = time[edge + step] if edge + step <= last else time[edge + 1] + np.int64(unit)
        bit[used] = is_long == long_is_one
        used += 1
        edge += step
    return used, broken
