"""CAN from its waveform (ISO 11898-1): bits in step with the falling edges, stuffing, CRC, acknowledge.

The line rests at 1 (recessive). Of frames in the long format (CAN FD) the arbitration part is read, with the flags
``long`` and ``cut short``, since their data may run at another rate. Six equal bits where stuffing should be are an
error frame.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..protocols import can
from ..waves.edges import Edges
from .result import (
    ADDRESS,
    CHECK,
    CONTROL,
    DATA,
    ERROR,
    REFUSED,
    START,
    TAKEN,
    Fact,
    LineResult,
    LineRoom,
    put_byte,
    put_frame,
    put_mark,
)
from .settings import LineSettings, Proposal, Setting
from .timing import bit_time, rate_words

_TRIED_CHANGES = 40_000
"""A first part of the line says what it speaks."""


class CanLine(LineSettings, frozen=True, kw_only=True, tag="can"):
    """The line; a rate of None is measured."""

    line: str = ""
    rate: float | None = None
    sample_point: float = 0.7
    inverted: bool = False


class _Can:
    name = "CAN"
    protocol = can.NAME
    gives = "frames"
    settings = CanLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("rate", "rate", "number", "bit/s", measured=True),
        Setting("sample_point", "bit is taken at", "number", "of its time"),
        Setting("inverted", "inverted", "flag"),
    )

    def decode(self, settings: CanLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode one line that is 1 while recessive."""
        line = lines["line"].inverted() if settings.inverted else lines["line"]
        measured, share = bit_time(line.widths(), 6)
        bit_ns = 1e9 / settings.rate if settings.rate else measured
        facts = [] if np.isnan(measured) else [
            Fact("rate", 1e9 / measured, "bit/s", f"{rate_words(1e9 / measured)} ({share:.0%} of pulses fit)")
        ]  # fmt: skip
        room = LineRoom(4 * len(line) + 16, len(line) + 2, 4 * len(line) + 64)
        if np.isfinite(bit_ns) and bit_ns > 0:
            point = min(max(settings.sample_point, 0.1), 0.95)
            _decode(line.time_ns, line.level, line.first, line.end_ns, bit_ns, point, *room.arguments())
        return room.result().with_facts(*facts)

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Measure the rate; a CRC of 15 bits that agrees again and again leaves no doubt."""
        found = []
        for name, line in channels.items():
            if len(line) < 20 or int(line.level.min()) < 0:
                continue
            part = line.first_part(_TRIED_CHANGES)
            for inverted in (False, True):
                settings = CanLine(line=name, inverted=inverted)
                result = self.decode(settings, {"line": part})
                flags = result.frames.flags
                good = int((flags & (F.BAD_CHECK | F.ERROR | F.CUT_SHORT | F.FRAMING) == 0).sum())
                if good < 2 or good < 0.5 * len(flags):
                    continue
                rate = result.facts[0].words if result.facts else ""
                reason = f"{name}: {good} of {len(flags)} frames have a CRC that agrees, {rate}"
                found.append(Proposal(settings, good / len(flags), reason))
        return found


DECODER = _Can()


@njit(cache=True, nogil=True)
def _decode(time, level, first, end_ns, bit_ns, point, marks, frames, payload, counts):  # type: ignore[no-untyped-def]
    """Take one frame after another: a fall after rest starts one.

    Each falling edge puts the bit clock in step again, as a controller does (hard and soft synchronisation).
    """
    edge = 0
    count = len(time)
    rested = first == 1
    while edge < count:
        if level[edge] != 0:
            edge += 1
            continue
        if edge > 0 and not rested and time[edge] - time[edge - 1] < 9.5 * bit_ns:
            # not yet quiet long enough to be in step with the bus
            edge += 1
            continue
        begin = time[edge]
        clock = float(begin)  # where the present bit begins
        hint = edge + 1  # first edge after the present bit's sampling point
        now = 0
        run = 0
        last = 2
        index = 0  # unstuffed bits taken, the start bit among them
        value = np.int64(0)
        crc = 0
        sent_crc = 0
        address = np.int64(0)
        flags = np.int64(0)
        length = data_bits = 0
        first_byte = counts[2]
        part_begin = begin
        byte = 0
        stage = 0  # 0 identifier, 1 extension, 2 control, 3 data, 4 crc, 5 after the crc
        tail = 0
        wrong = False
        done = False
        crc_begin = begin
        put_mark(marks, counts, begin, np.int64(begin + bit_ns), START, 0, 0)
        while not done:
            moment = clock + point * bit_ns
            if moment > end_ns:
                flags |= F.CUT_SHORT
                break
            while hint < count and time[hint] <= moment:
                if level[hint] == 0:
                    # in step again: a fall begins a bit
                    offset = time[hint] - clock
                    if abs(offset) < 0.5 * bit_ns:
                        clock += offset
                        moment = clock + point * bit_ns
                now = level[hint]
                hint += 1
            bit = now
            bit_begin = np.int64(clock)
            clock += bit_ns
            if stage < 5:
                if bit == last:
                    run += 1
                else:
                    if run == 5:
                        # the stuff bit: it carries nothing but counts for the next run
                        last = bit
                        run = 1
                        continue
                    run = 1
                    last = bit
                if run == 6:
                    wrong = True
                    put_mark(marks, counts, np.int64(clock - 6 * bit_ns), np.int64(clock), ERROR, 0, F.ERROR)
                    break
            if stage < 4:
                top = (crc >> 14) & 1
                crc = (crc << 1) & 0x7FFF
                if top ^ bit:
                    crc ^= 0x4599
            if stage == 0:
                if index == 1:
                    part_begin = bit_begin
                if 1 <= index <= 11:
                    address = (address << 1) | bit
                elif index == 12:
                    remote = bit
                elif index == 13:
                    if bit == 1:
                        stage = 1
                        value = 0
                    else:
                        flags |= F.REMOTE if remote else 0
                        put_mark(marks, counts, part_begin, bit_begin, ADDRESS, address, 0)
                        stage = 2
                        part_begin = np.int64(clock)
                        value = 0
                        index = 0
                        byte = 0
                        continue
                index += 1
            elif stage == 1:
                if index <= 31:
                    address = (address << 1) | bit
                elif index == 32:
                    flags |= F.EXTENDED | (F.REMOTE if bit else 0)
                    put_mark(marks, counts, part_begin, bit_begin, ADDRESS, address, 0)
                    stage = 2
                    part_begin = np.int64(clock)
                    index = 0
                    value = 0
                    byte = 1
                    continue
                index += 1
            elif stage == 2:
                # base: FDF/r0 and 4 length bits; extended: FDF/r1, r0 and 4 length bits
                if index == 0 and bit == 1:
                    flags |= F.LONG | F.CUT_SHORT
                    put_mark(marks, counts, part_begin, np.int64(clock), CONTROL, 1, F.LONG)
                    break
                skip = 2 if byte == 1 else 1
                if index >= skip:
                    value = (value << 1) | bit
                index += 1
                if index == skip + 4:
                    length = min(value, 8)
                    put_mark(marks, counts, part_begin, np.int64(clock), CONTROL, value, 0)
                    data_bits = 0 if flags & F.REMOTE else length * 8
                    stage = 3 if data_bits else 4
                    index = 0
                    value = 0
                    part_begin = crc_begin = np.int64(clock)
            elif stage == 3:
                if index % 8 == 0:
                    part_begin = bit_begin
                value = (value << 1) | bit
                index += 1
                if index % 8 == 0:
                    put_mark(marks, counts, part_begin, np.int64(clock), DATA, value, 0)
                    put_byte(payload, counts, value)
                    value = 0
                if index == data_bits:
                    stage = 4
                    index = 0
                    crc_begin = np.int64(clock)
            elif stage == 4:
                sent_crc = (sent_crc << 1) | bit
                index += 1
                if index == 15:
                    bad = F.BAD_CHECK if sent_crc != crc else 0
                    flags |= bad
                    put_mark(marks, counts, crc_begin, np.int64(clock), CHECK, sent_crc, bad)
                    stage = 5
                    # a stuff bit may still follow the last bit of the CRC
                    tail = -1 if run == 5 else 0
            else:
                if tail == 0 and bit == 0:
                    flags |= F.FRAMING
                elif tail == 1:
                    put_mark(marks, counts, bit_begin, np.int64(clock), TAKEN if bit == 0 else REFUSED, bit, 0)
                    flags |= F.REFUSED if bit == 1 else 0
                elif tail >= 2 and bit == 0:
                    if tail <= 8:
                        flags |= F.FRAMING
                    done = True
                tail += 1
                if tail == 9:
                    done = True
        end = min(np.int64(clock), end_ns)
        if wrong:
            flags |= F.ERROR | F.FRAMING
            put_frame(frames, counts, begin, end, address, flags, first_byte)
            rested = False
        elif index > 0 or stage > 0:
            put_frame(frames, counts, begin, end, address, flags, first_byte)
            rested = not flags & F.LONG
        # look for the next start: after the end of this frame, or after quiet if it was broken
        edge = max(edge + 1, hint - 1)
        while edge < count and time[edge] < end - 0.5 * bit_ns:
            edge += 1
        if not rested:
            while edge < count and not (
                level[edge] == 0 and (edge == 0 or time[edge] - time[edge - 1] >= 9.5 * bit_ns)
            ):
                edge += 1
            rested = True
