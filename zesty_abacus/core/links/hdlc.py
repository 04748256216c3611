"""HDLC frames out of a stream of bits (ISO/IEC 13239): flags, stuffing, bytes lowest bit first, a 16-bit check.

The check is the FCS of ISO/IEC 13239, 4.2.5.2: polynomial 0x1021, reflected, start and end 0xFFFF. Packet radio sends
the bits as changes (NRZI); that is a setting of the line, not of the framing.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..lines.result import CHECK, DATA, SYNC, BitRun, LineResult, LineRoom, put_byte, put_frame, put_mark
from ..lines.settings import Setting
from ..words import counted
from .crc import reflected_crc16
from .framing import Framing

_FEWEST_BYTES = 4


class HdlcFraming(Framing, frozen=True, kw_only=True, tag="hdlc"):
    """Frames between flags."""

    keep_wrong: bool = True


class _Hdlc:
    name = "HDLC"
    takes = "bits"
    protocol = "hdlc"
    settings = HdlcFraming
    fields = (Setting("keep_wrong", "keep frames whose check fails", "flag"),)

    def apply(self, settings: HdlcFraming, result: LineResult) -> LineResult:
        run = result.bit_run
        if run is None or not len(run):
            return result
        room = _room(run)
        _find(run.bit, run.start_ns, run.end_ns, run.bounds, settings.keep_wrong, *room.arguments())
        made = room.result()
        return LineResult(made.frames, made.ends_ns, made.marks, bit_run=run, facts=result.facts)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = result.bit_run
        if run is None or len(run) < 32:
            return None
        room = _room(run)
        _find(run.bit, run.start_ns, run.end_ns, run.bounds, True, *room.arguments())
        made = room.result().frames
        good = int((made.flags & F.BAD_CHECK == 0).sum())
        if good < 1 or good < 0.2 * len(made):
            return None
        return (
            HdlcFraming(),
            0.95,
            f"{counted(good, 'frame')} between flags {'has' if good == 1 else 'have'} a check that agrees",
        )


FRAMINGS = (_Hdlc(),)


def _room(run: BitRun) -> LineRoom:
    return LineRoom(len(run) // 4 + 8, len(run) // 24 + 4, len(run) // 8 + 8)


@njit(cache=True, nogil=True)
def fcs16(data, first, last):  # type: ignore[no-untyped-def]
    """Return the frame check sequence of bytes, as it is sent (low byte first)."""
    return reflected_crc16(data, first, last, 0x8408) ^ 0xFFFF


@njit(cache=True, nogil=True)
def _find(bits, start, end, bounds, keep_wrong, marks, frames, payload, counts):  # type: ignore[no-untyped-def]
    for burst in range(len(bounds) - 1):
        ones = 0
        inside = False
        value = have = 0
        first_byte = counts[2]
        byte_begin = begin = np.int64(0)
        first_mark = counts[0]
        for n in range(bounds[burst], bounds[burst + 1]):
            if bits[n] == 1:
                ones += 1
                if ones > 6:
                    # seven ones: the frame was given up, or nobody sends
                    inside = False
                    counts[2] = first_byte
                    counts[0] = first_mark
                    continue
            else:
                if ones == 6:
                    # a flag; it may end one frame and begin the next. Its first seven bits stand in the byte begun
                    size = counts[2] - first_byte
                    if inside and have == 7 and size >= _FEWEST_BYTES:
                        sent = np.int64(payload[counts[2] - 2]) | np.int64(payload[counts[2] - 1]) << 8
                        wrong = fcs16(payload, first_byte, counts[2] - 2) != sent
                        if keep_wrong or not wrong:
                            bad = F.BAD_CHECK if wrong else 0
                            for row in (counts[0] - 2, counts[0] - 1):
                                marks[row, 2] = CHECK
                                marks[row, 4] = bad
                            counts[2] -= 2
                            put_mark(marks, counts, start[max(n - 7, 0)], end[n], SYNC, 0x7E, 0)
                            put_frame(frames, counts, begin, end[n], np.int64(0), np.int64(bad), first_byte)
                            first_byte = counts[2]
                            first_mark = counts[0]
                    counts[2] = first_byte
                    counts[0] = first_mark
                    inside = True
                    begin = start[max(n - 7, 0)]
                    value = have = 0
                    ones = 0
                    put_mark(marks, counts, begin, end[n], SYNC, 0x7E, 0)
                    continue
                if ones == 5:
                    # put in by the sender so that no flag appears; taken out again
                    ones = 0
                    continue
                ones = 0
            if inside:
                if have == 0:
                    byte_begin = start[n]
                value |= np.int64(bits[n]) << have
                have += 1
                if have == 8:
                    put_mark(marks, counts, byte_begin, end[n], DATA, value, 0)
                    put_byte(payload, counts, value)
                    value = have = 0
        counts[2] = first_byte
        counts[0] = first_mark
