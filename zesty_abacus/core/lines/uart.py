"""UART: start bit, data bits lowest first, parity, stop bits. The line rests at 1, and where neither tone is sent.

Bits are taken in their middle, counted from the start bit's edge, so a rate that is a few percent off still reads
right. What is found are bytes with their times; where a telegram begins is a question of framing.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..waves.edges import Edges
from ..words import grouped
from .bipolar import is_bipolar, resting_in_silence
from .result import BREAK, DATA, ByteRun, Fact, LineResult, LineRoom, Marks, put_mark
from .settings import LineSettings, Proposal, Setting
from .timing import bit_time, fit_words, rate_words

PARITIES = ("none", "odd", "even", "mark", "space")
_ENOUGH, _FAULTS = 16, 0.06
"""Of so many characters such a part may be disturbed; that more agree by chance is less likely than 1 in 3 000."""
_BY_CHANCE = 0.6
_ENOUGH_LOWS = 8
_MOST_BREAKS = 0.34
_ENOUGH_PAIRS = 6
"""Text has at least two lengths of one level and four of the other, which is seven pairs more than a clock has."""
_FEWEST_CHANGES, _LEAST_SCORE = 20, 0.3
_TRIED_CHANGES = 40_000
"""A first part of the line says what it speaks."""
_ENOUGH_THAT_CHANGE = 0.35
"""Of characters that are anything at random it is nearly all, of frames that are full of 00 and FF more than half."""


class UartLine(LineSettings, frozen=True, kw_only=True, tag="uart"):
    """Line form; a rate of None is measured."""

    line: str = ""
    rate: float | None = None
    data_bits: int = 8
    parity: str = "none"
    stop_bits: float = 1.0
    inverted: bool = False
    high_bit_first: bool = False


class _Uart:
    name = "UART"
    protocol = "serial"
    gives = "bytes"
    settings = UartLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("rate", "rate", "number", "bit/s", measured=True),
        Setting("data_bits", "data bits", "choice", choices=tuple((n, str(n)) for n in range(5, 10))),
        Setting("parity", "parity", "choice", choices=tuple((word, word) for word in PARITIES)),
        Setting("stop_bits", "stop bits", "choice", choices=((1.0, "1"), (1.5, "1.5"), (2.0, "2"))),
        Setting("inverted", "inverted", "flag"),
        Setting("high_bit_first", "highest bit first", "flag"),
    )

    def decode(self, settings: UartLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode one line into bytes."""
        line = resting_in_silence(lines["line"].inverted() if settings.inverted else lines["line"])
        measured, share = _bit_time(line)
        bit_ns = 1e9 / settings.rate if settings.rate else measured
        facts = [] if np.isnan(measured) else [
            Fact("rate", 1e9 / measured, "bit/s", f"{rate_words(1e9 / measured)}, {fit_words(share)}")
        ]  # fmt: skip
        room = LineRoom(len(line) + 1, 0, 0)
        if np.isfinite(bit_ns) and bit_ns > 0:
            parity = PARITIES.index(settings.parity) if settings.parity in PARITIES else 0
            data_bits = min(max(settings.data_bits, 5), 9)
            _decode(line.time_ns, line.level, line.begin_ns, line.end_ns, bit_ns, data_bits, parity,
                    settings.stop_bits, settings.high_bit_first, *room.arguments())  # fmt: skip
        rows = room.marks[: room.counts[0]].copy()
        rows[:, 5] = -1
        run = ByteRun(rows[:, 0], rows[:, 1], rows[:, 3].astype(np.uint16), rows[:, 4].astype(np.uint32))
        empty = LineRoom(0, 0, 0).result()
        return LineResult(empty.frames, empty.ends_ns, Marks(rows), byte_run=run, facts=tuple(facts))

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Measure the rate of each line and try the customary forms; few wrong bytes and no break speak for one."""
        # wires of three levels speak something else; of two tones it is asked by whoever heard them
        lines = {name: line for name, line in channels.items() if not is_bipolar(line)}
        return [best for name, line in lines.items() if (best := self.best_of(name, line)) is not None]

    def best_of(self, name: str, line: Edges) -> Proposal | None:
        """Return how a line, of two levels or of two tones, is read as characters; None if it hardly can be."""
        if len(line) < _FEWEST_CHANGES:
            return None
        best = max((self._judge(name, line, parity, bits, turned) for parity, bits in (
            ("none", 8), ("even", 8), ("odd", 8), ("none", 7), ("even", 7), ("odd", 7))
            for turned in (False, True)), key=lambda item: item.score)  # fmt: skip
        return best if best.score > _LEAST_SCORE else None

    def _judge(self, name: str, line: Edges, parity: str, bits: int, inverted: bool) -> Proposal:
        levels = resting_in_silence(line.inverted() if inverted else line)
        rate_ns, share = _bit_time(levels)
        settings = UartLine(line=name, parity=parity, data_bits=bits, inverted=inverted)
        nothing = Proposal(settings, 0.0, "")
        if np.isnan(rate_ns):
            return nothing
        part = line.first_part(_TRIED_CHANGES)
        run = self.decode(msgspec.structs.replace(settings, rate=1e9 / rate_ns), {"line": part}).byte_run
        assert run is not None
        if len(run) < 4:
            return nothing
        # a break now and then begins a frame, as on LIN; a line of breaks is no UART
        begins = np.uint32(F.BREAK if np.mean(run.flags & F.BREAK > 0) <= _MOST_BREAKS else 0)
        whole = float(np.mean((run.flags & ~(np.uint32(F.PARITY) | begins)) == 0))
        agrees, is_told = _parity_agrees(run) if parity != "none" else (1.0, True)
        # a parity bit that agrees is worth more than none that was looked for, also where a fault is among the
        # characters; without parity the most bits count, since a missing bit passes as a longer stop
        prior = {"none": 0.93 if bits == 8 else 0.80, "even": 1.0, "odd": 0.99}[parity] - (0.05 if bits == 7 else 0)
        prior *= 1.0 if is_told else _BY_CHANCE
        variety = _variety(levels.first_part(_TRIED_CHANGES), rate_ns)
        score = (whole * agrees) ** 4 * share * prior * (1.0 if levels.first == 1 else 0.7) * variety
        score *= min(_share_that_changes(run, bits) / _ENOUGH_THAT_CHANGE, 1.0) ** 2
        good = float(np.mean((run.flags & ~begins) == 0))
        if (parity, bits) == ("none", 8) and _rests_behind_seven(run):
            settings = msgspec.structs.replace(settings, data_bits=7, stop_bits=2.0)
        stops = ", 2 stop bits" if settings.stop_bits == 2.0 else ""
        reason = (
            f"{name} at {rate_words(1e9 / rate_ns)}, {settings.data_bits} data bits, parity {parity}{stops}"
            f"{', inverted' if inverted else ''}: {good:.1%} of {grouped(len(run))} characters are whole"
        )
        return Proposal(settings, score, reason)


DECODER = _Uart()


def _bit_time(line: Edges) -> tuple[float, float]:
    """Measure the bit by the low pulses: how long the line rests high between characters is nobody's business."""
    widths = line.widths()
    lows = widths[line.level[:-1] == 0]
    return bit_time(lows if len(lows) >= _ENOUGH_LOWS else widths)


def _parity_agrees(run: ByteRun) -> tuple[float, bool]:
    """Return in which part of the characters the parity agrees, and whether that says that there is one.

    A few faults among many characters do not count: by chance half of them would disagree. Where the data bits always
    have an even number of ones, or always an odd one, whatever is constant passes as a parity: the stop bit after seven
    bits with theirs, for one.
    """
    wrong = (run.flags & F.PARITY) != 0
    odd = np.bitwise_count(run.value[~wrong]) & 1
    varied = bool(len(odd)) and 0 < int(odd.sum()) < len(odd)
    share = 1.0 - float(np.mean(wrong))
    return (1.0 if len(run) >= _ENOUGH and wrong.sum() <= _FAULTS * len(run) else share), varied


def _rests_behind_seven(run: ByteRun) -> bool:
    """Return whether the eighth bit of characters is no data: high in all of many different ones, it is a stop bit."""
    return len(run) >= _ENOUGH and len(np.unique(run.value)) >= _ENOUGH // 2 and bool((run.value & 0x80).all())


def _variety(line: Edges, bit_ns: float) -> float:
    """Return near 1 if pulses of both levels have several lengths in bits, as characters do; 0 for a clock."""
    widths, levels = line.widths(), line.level[:-1]
    pairs = 1
    for level in (0, 1):
        bits = np.rint(widths[levels == level] / bit_ns)
        bits = bits[(bits >= 1) & (bits <= 9)]
        pairs *= int((np.bincount(bits.astype(np.int64)) > 0.01 * max(len(bits), 1)).sum()) if len(bits) else 0
    return min(max(pairs - 1, 0) / _ENOUGH_PAIRS, 1.0)


def _share_that_changes(run: ByteRun, bits: int) -> float:
    """Return the share of characters in which the line changes again once it has risen after their start bit.

    The others are one pulse each, such as 0xFF and 0xF0: any pulse of noise with silence behind it is one of them.
    """
    last = np.int64((1 << bits) - 1)
    value = run.value.astype(np.int64)
    return float(np.mean(((value | (value - 1)) & last) != last))


@njit(cache=True, nogil=True)
def _was_under_way(time, edge, begin_ns, bit_ns, total):  # type: ignore[no-untyped-def]
    """Whether the recording began in a character: low, no longer than one is, and without a rest as long behind it."""
    if edge != 1:
        return False
    held, rest = time[0] - begin_ns, time[1] - time[0]
    return 0.5 * bit_ns <= held <= total * bit_ns and rest < total * bit_ns


@njit(cache=True, nogil=True)
def _decode(time, level, begin_ns, end_ns, bit_ns, data_bits, parity, stop_bits, high_first,  # type: ignore[no-untyped-def]
            marks, frames, payload, counts):  # fmt: skip
    count = len(time)
    edge = 0
    while edge < count:
        # a start bit is a fall; the line changes at every edge, so it was at rest before
        if level[edge] != 0:
            edge += 1
            continue
        begin = time[edge]
        total = 1 + data_bits + (1 if parity else 0)
        at = edge
        value = ones = 0
        flags = 0
        parity_bit = 0
        start_level = 0
        for bit in range(total + 1):
            moment = begin + (bit + 0.5) * bit_ns
            while at + 1 < count and time[at + 1] <= moment:
                at += 1
            seen = level[at]
            if bit == 0:
                start_level = seen
                if seen == 1:
                    break
            elif bit <= data_bits:
                if seen:
                    ones += 1
                    value |= 1 << (data_bits - bit if high_first else bit - 1)
            elif parity and bit == data_bits + 1:
                parity_bit = seen
            elif seen == 0:
                flags |= F.FRAMING
        if start_level == 1:
            # shorter than half a bit: no start
            edge += 1
            continue
        total_ones = ones + parity_bit
        agrees = parity == 0 or (parity == 1 and total_ones % 2 == 1) or (parity == 2 and total_ones % 2 == 0)
        if not agrees and parity != 3 + (1 - parity_bit):
            flags |= F.PARITY
        end = begin + np.int64((total + stop_bits) * bit_ns + 0.5)
        if begin + (total + 0.5) * bit_ns > end_ns:
            flags = (flags & ~F.FRAMING) | F.CUT_SHORT
        if _was_under_way(time, edge, begin_ns, bit_ns, total):
            flags |= F.CUT_SHORT
        kind = DATA
        if flags & F.FRAMING and value == 0 and parity_bit == 0:
            kind = BREAK
            flags = F.BREAK
            # the line is held: wait until it is let go
            while at + 1 < count and level[at] == 0:
                at += 1
            end = max(end, time[at]) if level[at] == 1 else end_ns
        put_mark(marks, counts, begin, min(end, end_ns), kind, value, flags)
        # go on after the middle of the (first) stop bit; a wrong one may hold the next start already
        resume = begin + (total + 0.5) * bit_ns
        edge = at + 1
        while edge < count and time[edge] <= resume:
            edge += 1
