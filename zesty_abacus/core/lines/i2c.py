"""I2C (NXP UM10204): two lines, start and stop conditions, bytes with an acknowledge each.

A transfer is a frame: from a start to a stop or to the next start. Its address is the device's, 7 or 10 bits
(then with the flag ``extended``); its payload the data bytes, without the address.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..waves.edges import Edges
from .bipolar import are_complementary
from .result import (
    ADDRESS,
    DATA,
    ENOUGH,
    ERROR,
    REFUSED,
    RESTART,
    START,
    STOP,
    TAKEN,
    Fact,
    LineResult,
    LineRoom,
    put_byte,
    put_frame,
    put_mark,
)
from .settings import LineSettings, Proposal, Setting
from .timing import clock_hz

_LONG = 0b11110
"""Begins the first of the two bytes of an address of ten bits."""
_STRETCH = 3.0
_HELD_PERIODS = 20
"""A low clock this many times as long as usual is called stretched."""


class I2cLine(LineSettings, frozen=True, kw_only=True, tag="i2c"):
    """Which channel is the clock, which the data."""

    clock: str = ""
    data: str = ""


class _I2c:
    name = "I2C"
    protocol = "i2c"
    gives = "frames"
    settings = I2cLine
    fields = (Setting("clock", "clock line", "channel"), Setting("data", "data line", "channel"))

    def address_text(self, value: int) -> str:
        """Return the first byte of a transfer as a device and a direction."""
        way = "read" if value & 1 else "write"
        return f"10 bits, {way}" if value >> 3 == _LONG else f"{value >> 1:02X} {way}"

    def decode(self, settings: I2cLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode two lines; whatever lies before the first start is left alone."""
        clock, data = lines["clock"], lines["data"]
        room = LineRoom(len(clock) + 2 * len(data), len(data), len(clock) // 16)
        _decode(clock.time_ns, clock.level, clock.first, data.time_ns, data.level, data.first,
                min(clock.end_ns, data.end_ns), *room.arguments())  # fmt: skip
        return room.result().with_facts(*_facts(clock))

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Try every pair: a clock has most edges, and nearly all changes of the data fall where it is low."""
        found = []
        for clock_name, clock in channels.items():
            for data_name, data in channels.items():
                if clock_name == data_name or len(clock) < 18 or len(data) < 4 or are_complementary(clock, data):
                    continue
                found.extend(self._judge(clock_name, clock, data_name, data))
        return found

    def _judge(self, clock_name: str, clock: Edges, data_name: str, data: Edges) -> list[Proposal]:
        result = self.decode(I2cLine(clock=clock_name, data=data_name), {"clock": clock, "data": data})
        whole = result.marks.kind == DATA
        taken = int(np.isin(result.marks.kind, (TAKEN, REFUSED, ENOUGH)).sum())
        broken = int((result.marks.kind == ERROR).sum())
        starts = len(result.frames)
        clocked = taken * 18 / max(len(clock), 1)
        if not starts or not whole.any() or clocked < 0.5:
            return []
        # an address that is not all zeros rises and falls once at least; a line that is still while others are clocked
        # selects or asks for them
        bits = len(data) - int(np.isin(result.marks.kind, (START, RESTART, STOP)).sum())
        if bits < 2 * starts:
            return []
        score = min(clocked, 1.0) * (1 - broken / max(starts + broken, 1))
        rate = clock_hz(clock)
        reason = (
            f"clock on {clock_name}, {rate / 1e3:.1f} kHz: {starts} transfers with {taken} acknowledge bits take up "
            f"{min(clocked, 1.0):.0%} of its edges"
        )
        return [Proposal(I2cLine(clock=clock_name, data=data_name), score, reason)]


DECODER = _I2c()


def _facts(clock: Edges) -> tuple[Fact, ...]:
    rate = clock_hz(clock)
    if np.isnan(rate):
        return ()
    periods = np.diff(clock.time_ns[clock.level == 1]).astype(np.float64)
    usual = periods[periods < np.median(periods) * 1.5]
    spread = rate * float(np.std(usual) / np.mean(usual)) if usual.any() else 0.0
    lows = clock.widths()[clock.level[:-1] == 0]
    # a clock that is held low for longer was switched off
    held = (lows > np.median(lows) * _STRETCH) & (lows <= np.median(periods) * _HELD_PERIODS)
    stretched = int(held.sum()) if len(lows) else 0
    return (
        Fact("clock rate", rate, "Hz", f"{rate / 1e3:.1f} kHz ± {spread / 1e3:.1f}"),
        Fact("clock stretched", float(stretched), "", f"{stretched} time{'' if stretched == 1 else 's'}"),
    )


@njit(cache=True, nogil=True)
def _decode(ct, cl, clock_first, dt, dl, data_first, end_ns, marks, frames, payload, counts):  # type: ignore[no-untyped-def]
    """Walk both lines at once.

    Where both change in one instant, a falling clock goes first and a rising one last: the data line may change
    only while the clock is low.
    """
    scl, sda = clock_first, data_first
    i = j = 0
    inside = refused = wanted = False
    bits = value = stage = 0
    long_address = np.int64(-1)
    begin = byte_begin = ack_begin = last_fall = address = flags = first_byte = np.int64(0)
    while i < len(ct) or j < len(dt):
        if j >= len(dt) or (i < len(ct) and (ct[i] < dt[j] or (ct[i] == dt[j] and cl[i] == 0))):
            now = ct[i]
            scl = cl[i]
            i += 1
            if not inside:
                continue
            if scl == 0:
                last_fall = now
                if bits == 9:
                    # a reader refuses the last byte it wants: that is how a read ends
                    no = ENOUGH if wanted else REFUSED
                    put_mark(marks, counts, ack_begin, now, no if refused else TAKEN, 0, 0)
                    bits = value = 0
                continue
            bits += 1
            if bits == 1:
                byte_begin = now
            if bits < 9:
                value = (value << 1) | sda
                continue
            ack_begin = now
            refused = sda == 1
            wanted = stage == 2 and (flags & F.READ) != 0
            bad = F.REFUSED if refused and not wanted else 0
            put_mark(marks, counts, byte_begin, last_fall, DATA if stage == 2 else ADDRESS, value, bad)
            if stage == 2:
                put_byte(payload, counts, value)
                flags |= bad
                continue
            flags |= bad
            if stage == 1:
                address |= value
                long_address = address
                stage = 2
            elif value >> 3 == _LONG:
                address = np.int64((value >> 1) & 3) << 8
                flags |= F.EXTENDED
                stage = 1
                if value & 1:
                    # the lower eight bits are not said again before a read
                    flags |= F.READ
                    stage = 2
                    if long_address >> 8 == address >> 8:
                        address = long_address
            else:
                address = np.int64(value >> 1)
                flags |= F.READ if value & 1 else 0
                stage = 2
        else:
            now = dt[j]
            sda = dl[j]
            j += 1
            if scl == 0:
                continue
            if inside:
                # the clock is high for the stop itself, so one bit of it was counted
                if 1 < bits < 9:
                    flags |= F.FRAMING
                    put_mark(marks, counts, byte_begin, now, ERROR, value, F.FRAMING)
                if sda == 1:
                    put_mark(marks, counts, now, now, STOP, 0, 0)
                if stage > 0 or bits > 1:
                    put_frame(frames, counts, begin, now, address, flags, first_byte)
            if sda == 0:
                put_mark(marks, counts, now, now, RESTART if inside else START, 0, 0)
                begin, flags, first_byte = now, np.int64(0), counts[2]
            else:
                long_address = np.int64(-1)
            inside = sda == 0
            address = np.int64(0)
            stage = bits = value = 0
            refused = False
    if inside:
        put_frame(frames, counts, begin, end_ns, address, flags | F.CUT_SHORT, first_byte)
