"""A clocked line whose burst holds more clocks than data bits.

The clock runs in bursts with pauses between them. The first bits of each burst are data; the one after them, or the
last one of the burst, may be an acknowledge, and further clocks only finish the work of the receiver. Bursts that
follow each other closely are one frame; a longer pause ends it. A service-request line beside it marks who asked.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..waves.edges import Edges
from ..words import grouped
from .result import (
    BITS,
    CONTROL,
    DATA,
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
from .spi_transfers import share_behind_rises

_LIKELY, _LIKELY_ASKING = 0.6, 0.3
"""Bursts of an odd length are a clock's; that a line which asks for them carries their data is hardly so."""


class ClockedLine(LineSettings, frozen=True, kw_only=True, tag="clocked"):
    """Lines, and how a burst is divided; pauses of None are measured.

    Attributes
    ----------
    acknowledge, at_last_clock
        Whether a bit behind the data acknowledges: the next one, or that of the last clock of the burst.
    """

    clock: str = ""
    data: str = ""
    request: str = ""
    bits: int = 8
    acknowledge: bool = True
    at_last_clock: bool = False
    on_rise: bool = True
    low_bit_first: bool = False
    burst_gap_us: float | None = None
    frame_gap_us: float | None = None


class _Clocked:
    name = "Clocked bursts"
    protocol = "clocked"
    gives = "frames"
    settings = ClockedLine
    fields = (
        Setting("clock", "clock line", "channel"),
        Setting("data", "data line", "channel"),
        Setting("request", "service request line", "channel", optional=True),
        Setting("bits", "data bits a burst", "number"),
        Setting("acknowledge", "next bit acknowledges", "flag"),
        Setting("at_last_clock", "it is the last clock's", "flag"),
        Setting("on_rise", "taken on rising clock", "flag"),
        Setting("low_bit_first", "lowest bit first", "flag"),
        Setting("burst_gap_us", "pause between bursts", "number", "µs", measured=True),
        Setting("frame_gap_us", "pause between frames", "number", "µs", measured=True),
    )

    def decode(self, settings: ClockedLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode bursts; the address of a frame is 0, or 1 if the service-request line was low when it began."""
        clock, data = lines["clock"], lines["data"]
        takes = clock.time_ns[clock.level == (1 if settings.on_rise else 0)]
        burst_ns, frame_ns = _gaps(takes)
        burst_ns = settings.burst_gap_us * 1000 if settings.burst_gap_us else burst_ns
        frame_ns = settings.frame_gap_us * 1000 if settings.frame_gap_us else max(frame_ns, burst_ns)
        room = LineRoom(3 * len(takes) + 2, len(takes), len(takes) + 8 * (len(takes) // max(settings.bits, 1) + 1))
        request = lines.get("request")
        rt, rl, rf = (request.time_ns, request.level, request.first) if request is not None else (
            np.empty(0, np.int64), np.empty(0, np.int8), 1)  # fmt: skip
        bits = min(max(settings.bits, 1), 64)
        acknowledge = settings.acknowledge, settings.at_last_clock
        _decode(takes, data.time_ns, data.level, data.first, rt, rl, rf, burst_ns, frame_ns, bits, acknowledge,
                settings.low_bit_first, clock.end_ns, *room.arguments())  # fmt: skip
        return room.result().with_facts(*_facts(takes, burst_ns, frame_ns))

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Look for a clock in bursts of one length that is no multiple of eight, beside a slower line."""
        return [one for name in channels for one in self._clocked_by(name, channels)]

    def _clocked_by(self, name: str, channels: Mapping[str, Edges]) -> Iterator[Proposal]:
        """Yield what the other lines may be where one is the clock."""
        clock = channels[name]
        takes = clock.time_ns[clock.level == 1]
        if len(takes) < 40:
            return
        burst_ns, frame_ns = _gaps(takes)
        lengths = np.diff(np.flatnonzero(np.concatenate([[True], np.diff(takes) > burst_ns, [True]])))
        usual = int(np.median(lengths))
        share = float(np.mean(lengths == usual))
        if usual % 8 == 0 or not 6 <= usual <= 40 or share < 0.8:
            return
        bits = usual // 8 * 8 if usual > 8 else usual
        reason = (
            f"clock on {name} in {grouped(len(lengths))} bursts of {usual} ({share:.0%} alike): "
            f"{bits} data bits and {usual - bits} more clocks"
        )
        begins = takes[np.concatenate([[True], np.diff(takes) > frame_ns])]
        asking = [other for other, line in channels.items() if other != name and _asks(line, begins)]
        for other, data in channels.items():
            if other == name or not 4 <= len(data) < len(clock):
                continue
            on_rise = share_behind_rises(clock, [data]) <= 0.5
            # a line that asks now and then is read beside the data, and is none
            request = asking[0] if len(asking) == 1 and other not in asking else ""
            settings = ClockedLine(clock=name, data=other, request=request, bits=bits, on_rise=on_rise)
            asks = f", asked for by {request}" if request else ""
            score = (_LIKELY_ASKING if other in asking else _LIKELY) * share
            yield Proposal(settings, score, f"{reason}, taken as it {'rises' if on_rise else 'falls'}{asks}")


DECODER = _Clocked()


def _asks(line: Edges, begins: NDArray[np.int64]) -> bool:
    """Return whether a line is low where some of the frames begin, not all, and changes no more often than for each."""
    if not 2 <= len(line) <= 2 * len(begins) + 2:
        return False
    place = np.searchsorted(line.time_ns, begins, side="right") - 1
    low = np.where(place >= 0, line.level[np.maximum(place, 0)], line.first) == 0
    return bool(low.any() and not low.all())


def _gaps(takes: np.ndarray) -> tuple[float, float]:
    """Measure which pauses divide bursts and which divide frames: the widest jumps in the sorted pauses."""
    if len(takes) < 3:
        return float("inf"), float("inf")
    periods = np.sort(np.diff(takes)).astype(np.float64)
    usual = float(np.median(periods))
    longer = periods[periods > usual * 1.8]
    if not len(longer):
        return usual * 4, usual * 40
    burst = (usual + float(longer[0])) / 2
    ratios = longer[1:] / longer[:-1]
    if len(ratios) and ratios.max() > 3:
        place = int(np.argmax(ratios))
        return burst, float(np.sqrt(longer[place] * longer[place + 1]))
    return burst, float(longer[-1]) * 4


def _facts(takes: np.ndarray, burst_ns: float, frame_ns: float) -> tuple[Fact, ...]:
    if len(takes) < 3:
        return ()
    periods = np.diff(takes)
    rate = 1e9 / max(float(np.median(periods)), 1.0)
    lengths = np.diff(np.flatnonzero(np.concatenate([[True], periods > burst_ns, [True]])))
    return (
        Fact("clock rate", rate, "Hz", f"{rate / 1e3:.2f} kHz"),
        Fact("clocks a burst", float(np.median(lengths)), "", f"{int(np.median(lengths))}"),
        Fact("burst_gap_us", burst_ns / 1000, "µs", f"{burst_ns / 1000:.4g} µs"),
        Fact("frame_gap_us", frame_ns / 1000, "µs", f"{frame_ns / 1000:.4g} µs"),
    )


@njit(cache=True, nogil=True)
def _decode(takes, dt, dl, data_first, rt, rl, request_first, burst_ns, frame_ns, bits, acknowledge, low_first,  # type: ignore[no-untyped-def]
            end_ns, marks, frames, payload, counts):  # fmt: skip
    edge = asks = 0
    n = 0
    while n < len(takes):
        # one frame: bursts that follow each other closely
        begin = takes[n]
        while asks < len(rt) and rt[asks] <= begin:
            asks += 1
        asked = (rl[asks - 1] if asks else request_first) == 0
        first_byte = counts[2]
        flags = np.int64(0)
        put_mark(marks, counts, begin, begin, START, np.int64(asked), 0)
        last = begin
        while n < len(takes) and takes[n] - last <= frame_ns:
            count = 0
            value = np.uint64(0)
            burst_begin = data_end = last = takes[n]
            refused = False
            level = np.int8(0)
            while n < len(takes) and (count == 0 or takes[n] - last <= burst_ns):
                now = takes[n]
                while edge < len(dt) and dt[edge] <= now:
                    edge += 1
                level = dl[edge - 1] if edge else data_first
                if count < bits:
                    if low_first:
                        value |= np.uint64(level) << np.uint64(count)
                    else:
                        value = (value << np.uint64(1)) | np.uint64(level)
                    data_end = now
                elif acknowledge[0] and count == bits and not acknowledge[1]:
                    refused = level == 1
                    put_mark(marks, counts, now, now, REFUSED if refused else TAKEN, np.int64(level), 0)
                count += 1
                last = now
                n += 1
            if acknowledge[0] and acknowledge[1] and count > bits:
                refused = level == 1
                put_mark(marks, counts, last, last, REFUSED if refused else TAKEN, np.int64(level), 0)
            if count < bits:
                flags |= F.CUT_SHORT
                put_mark(marks, counts, burst_begin, data_end, BITS, np.int64(value), F.CUT_SHORT)
            else:
                if refused:
                    flags |= F.REFUSED
                put_mark(marks, counts, burst_begin, data_end, DATA, np.int64(value), 0)
                for byte in range((bits + 7) // 8 - 1, -1, -1):
                    put_byte(payload, counts, np.int64((value >> np.uint64(8 * byte)) & np.uint64(0xFF)))
                if count > bits + (1 if acknowledge[0] else 0):
                    put_mark(marks, counts, data_end, last, CONTROL, np.int64(count - bits), 0)
        put_frame(frames, counts, begin, last, np.int64(1 if asked else 0), flags, first_byte)
