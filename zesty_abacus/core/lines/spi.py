"""SPI: a clock, one or two data lines, and mostly a select line.

There is no standard; the four clock modes are named as everybody does: bit 1 of the mode is the clock's level at
rest, bit 0 is set if data are taken on the second edge of a bit. A transfer, from select to deselect, gives a
frame for each data line: address 0 for the line to the device, 1 with the flag ``answer`` for the line from it.
Words that are no whole bytes are padded with zeros at the top; their bytes stand highest first.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..waves.edges import Edges
from .result import BITS, DATA, Fact, LineResult, LineRoom, Marks, put_byte, put_frame, put_mark, table_of
from .settings import LineSettings, Proposal, Setting
from .timing import clock_hz

_GAP_CLOCKS = 8.0
"""Without a select line, a pause of so many clocks ends a transfer unless a gap is set."""


class SpiLine(LineSettings, frozen=True, kw_only=True, tag="spi"):
    """Lines and word form; a mode of None is found from the wave."""

    clock: str = ""
    to_device: str = ""
    from_device: str = ""
    select: str = ""
    select_low: bool = True
    mode: int | None = None
    word_bits: int = 8
    low_bit_first: bool = False
    gap_us: float | None = None


class _Spi:
    name = "SPI"
    protocol = "spi"
    gives = "frames"
    settings = SpiLine
    fields = (
        Setting("clock", "clock line", "channel"),
        Setting("to_device", "data to device", "channel", optional=True),
        Setting("from_device", "data from device", "channel", optional=True),
        Setting("select", "select line", "channel", optional=True),
        Setting("select_low", "selected while low", "flag"),
        Setting("mode", "clock mode", "choice", measured=True, choices=(
            (0, "0: rests low, first edge"), (1, "1: rests low, second edge"),
            (2, "2: rests high, first edge"), (3, "3: rests high, second edge"))),
        Setting("word_bits", "bits a word", "number"),
        Setting("low_bit_first", "lowest bit first", "flag"),
        Setting("gap_us", "gap between transfers", "number", "µs", measured=True),
    )  # fmt: skip

    def decode(self, settings: SpiLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode; each data line gives frames and marks of its own."""
        clock = lines["clock"]
        select = lines.get("select")
        datas = [(row, lines[role]) for row, role in enumerate(("to_device", "from_device")) if role in lines]
        reason = ""
        mode = settings.mode
        if mode is None:
            mode, reason = find_mode(clock, [data for _, data in datas], select, settings.select_low)
        windows = _windows(clock, select, settings)
        results = [self._line(settings, clock, data, row, mode, windows) for row, data in datas]
        facts = (Fact("mode", float(mode), "", f"{mode}{': ' if reason else ''}{reason}"), *_clock_facts(clock))
        return _merged(results).with_facts(*facts)

    def _line(self, settings: SpiLine, clock: Edges, data: Edges, row: int, mode: int, windows) -> LineResult:  # type: ignore[no-untyped-def]
        begins, ends, cut = windows
        word_bits = min(max(settings.word_bits, 1), 64)
        # data are taken on the edge away from rest, or on the one back to it
        edge = 1 if mode in (0, 3) else 0
        takes = clock.time_ns[clock.level == edge]
        changes = clock.time_ns
        words = len(takes) // word_bits + len(begins)
        room = LineRoom(words, len(begins), (words + 1) * 8)
        _decode(takes, changes, data.time_ns, data.level, data.first, begins, ends, cut, word_bits,
                settings.low_bit_first, row, *room.arguments())  # fmt: skip
        return room.result()

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Try every line as clock: its pulses are alike, a select frames its bursts, data change on one flank."""
        found = []
        for name, clock in channels.items():
            others = {key: edges for key, edges in channels.items() if key != name}
            if len(clock) >= 32 and others:
                found.extend(_judge(name, clock, others))
        return found


DECODER = _Spi()


def find_mode(clock: Edges, datas: list[Edges], select: Edges | None, select_low: bool) -> tuple[int, str]:
    """Find the clock mode: rest level outside transfers, and on which flank data do not change."""
    rest = _rest_level(clock, select, select_low)
    away = back = 0
    for data in datas:
        at = _edge_of(clock, data)
        moved = clock.level[at] != rest
        away += int(moved.sum())
        back += int((~moved).sum())
    if away + back == 0:
        return rest * 2, "data never change; the first edge is assumed"
    second = away > back
    share = max(away, back) / (away + back)
    words = "second" if second else "first"
    return (
        rest * 2 + second,
        f"rests {'high' if rest else 'low'}, taken on the {words} edge ({share:.0%} of changes agree)",
    )


def _edge_of(clock: Edges, data: Edges) -> np.ndarray:
    """Return the clock edge that each data change belongs to: the one just before it.

    Both may be the work of one flip-flop and change together, and then either may be seen first: a change shortly
    before an edge belongs to it.
    """
    widths = clock.widths()
    early = int(np.median(widths) * 0.15) if len(widths) else 0
    at = np.searchsorted(clock.time_ns, data.time_ns + early, side="right") - 1
    return at[at >= 0]


def _rest_level(clock: Edges, select: Edges | None, select_low: bool) -> int:
    if select is not None and len(select):
        active = 0 if select_low else 1
        ends = select.time_ns[select.level != active]
        if len(ends):
            levels = [clock.level_at(int(time)) for time in ends[:64]]
            return int(np.median(levels) > 0.5)
    widths = clock.widths()
    if not len(widths):
        return clock.first
    long = widths > np.median(widths) * _GAP_CLOCKS
    return int(np.median(clock.level[:-1][long]) > 0.5) if long.any() else clock.first


def _windows(clock: Edges, select: Edges | None, settings: SpiLine):  # type: ignore[no-untyped-def]
    """Return begin and end of each transfer and whether it is cut by an end of the recording."""
    if select is not None:
        active = 0 if settings.select_low else 1
        begins, ends = select.time_ns[select.level == active], select.time_ns[select.level != active]
        cut_first = select.first == active
        if cut_first:
            begins = np.concatenate([[select.begin_ns], begins])
        cut_last = len(begins) > len(ends)
        if cut_last:
            ends = np.concatenate([ends, [select.end_ns]])
        cut = np.zeros(len(begins), np.bool_)
        if len(begins):
            cut[0] |= cut_first
            cut[-1] |= cut_last
        return begins.astype(np.int64), ends[: len(begins)].astype(np.int64), cut
    if not len(clock):
        return np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0, np.bool_)
    widths = clock.widths()
    usual = float(np.median(widths)) if len(widths) else 1.0
    gap = settings.gap_us * 1000 if settings.gap_us else usual * 2 * _GAP_CLOCKS
    breaks = np.flatnonzero(widths > gap)
    begins = clock.time_ns[np.concatenate([[0], breaks + 1])]
    ends = clock.time_ns[np.concatenate([breaks, [len(clock) - 1]])]
    return begins, ends + 1, np.zeros(len(begins), np.bool_)


def _clock_facts(clock: Edges) -> tuple[Fact, ...]:
    rate = clock_hz(clock)
    if np.isnan(rate):
        return ()
    return (Fact("clock rate", rate, "Hz", f"{rate / 1e6:.3g} MHz" if rate >= 1e6 else f"{rate / 1e3:.4g} kHz"),)


def _merged(results: list[LineResult]) -> LineResult:
    """Put both data lines together; frames of one transfer follow each other."""
    if not results:
        return LineRoom(0, 0, 0).result()
    if len(results) == 1:
        return results[0]
    first, second = results
    marks = second.marks.rows.copy()
    marks[:, 5] = np.where(marks[:, 5] >= 0, marks[:, 5] + len(first.frames), -1)
    frames = np.concatenate([_rows(first, 0), _rows(second, len(first.frames.payload))])
    order = np.lexsort((np.arange(len(frames)), frames[:, 0]))
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    rows = np.concatenate([first.marks.rows, marks])
    rows[:, 5] = np.where(rows[:, 5] >= 0, place[rows[:, 5]], -1)
    rows = rows[np.argsort(rows[:, 0], kind="stable")]
    payload = np.concatenate([first.frames.payload, second.frames.payload])
    table, ends = table_of(frames[order], payload)
    return LineResult(table, ends, Marks(rows))


def _rows(result: LineResult, base: int) -> np.ndarray:
    table = result.frames
    return np.stack([
        table.time_ns, result.ends_ns, table.address, table.flags.astype(np.int64), table.start + base,
        table.size.astype(np.int64),
    ], axis=1)  # fmt: skip


def _judge(name: str, clock: Edges, others: dict[str, Edges]) -> list[Proposal]:
    rates = {key: len(edges) / len(clock) for key, edges in others.items()}
    selects = {key: edges for key, edges in others.items() if len(edges) >= 2 and rates[key] < 0.2}
    found = []
    for key, select in (*selects.items(), ("", None)):
        datas = [other for other in others if other != key and len(others[other]) >= 4 and rates[other] <= 1.05]
        if not datas:
            continue
        found.extend(_judge_lines(name, clock, key, select, datas[:2], others))
    return found


def _judge_lines(
    name: str, clock: Edges, key: str, select: Edges | None, datas: list[str], others: dict[str, Edges]
) -> list[Proposal]:
    settings = SpiLine(clock=name, to_device=datas[0], from_device=datas[1] if len(datas) > 1 else "", select=key)
    if select is not None:
        # the clock runs while selected: whichever level sees more of it
        low_part = _clocks_within(clock, select, 0)
        settings = msgspec.structs.replace(settings, select_low=low_part >= 0.5)
        inside = max(low_part, 1 - low_part)
    else:
        inside = 0.75
    begins, ends, _ = _windows(clock, select, settings)
    rises = clock.time_ns[clock.level == 1]
    counts = np.searchsorted(rises, ends) - np.searchsorted(rises, begins)
    used = counts[counts > 0]
    if not len(used):
        return []
    whole = float(np.mean(used % 8 == 0))
    mode, reason = find_mode(clock, [others[data] for data in datas], select, settings.select_low)
    agreement = _agreement(clock, [others[data] for data in datas])
    score = inside * agreement * (0.4 + 0.6 * whole)
    rate = clock_hz(clock)
    where = f", selected by {key} while {'low' if settings.select_low else 'high'}" if key else ", no select line"
    words = f"clock on {name}, {rate / 1e6:.3g} MHz{where}: {len(used)} transfers, {whole:.0%} of whole bytes; {reason}"
    return [Proposal(msgspec.structs.replace(settings, mode=mode), score, words)]


def _clocks_within(clock: Edges, select: Edges, level: int) -> float:
    at = np.searchsorted(select.time_ns, clock.time_ns, side="right") - 1
    levels = np.where(at >= 0, select.level[np.maximum(at, 0)] if len(select) else select.first, select.first)
    return float(np.mean(levels == level)) if len(clock) else 0.0


def _agreement(clock: Edges, datas: list[Edges]) -> float:
    """Return the share of data changes that follow the more usual of the two clock flanks."""
    away = total = 0
    for data in datas:
        levels = clock.level[_edge_of(clock, data)]
        away += int((levels == 1).sum())
        total += len(levels)
    return max(away, total - away) / total if total else 0.5


@njit(cache=True, nogil=True)
def _decode(takes, changes, dt, dl, data_first, begins, ends, cut, word_bits, low_first, row,  # type: ignore[no-untyped-def]
            marks, frames, payload, counts):  # fmt: skip
    """Take bits at the given moments; the level just before a moment counts."""
    at = edge = change = 0
    for window in range(len(begins)):
        begin, end = begins[window], ends[window]
        while at < len(takes) and takes[at] < begin:
            at += 1
        if at >= len(takes) or takes[at] >= end:
            continue
        first_byte = counts[2]
        flags = np.int64(F.CUT_SHORT) if cut[window] else np.int64(0)
        bits = 0
        value = np.uint64(0)
        word_begin = begin
        while at < len(takes) and takes[at] < end:
            now = takes[at]
            at += 1
            while edge < len(dt) and dt[edge] < now:
                edge += 1
            level = np.uint64(dl[edge - 1] if edge else data_first)
            if bits == 0:
                word_begin = now
            if low_first:
                value |= level << np.uint64(bits)
            else:
                value = (value << np.uint64(1)) | level
            bits += 1
            if bits == word_bits:
                # a word is drawn up to the clock edge after its last bit
                while change < len(changes) and changes[change] <= now:
                    change += 1
                until = min(changes[change], end) if change < len(changes) else end
                put_mark(marks, counts, word_begin, until, DATA, np.int64(value), 0)
                marks[counts[0] - 1, 6] = row
                for byte in range((word_bits + 7) // 8 - 1, -1, -1):
                    put_byte(payload, counts, np.int64((value >> np.uint64(8 * byte)) & np.uint64(0xFF)))
                bits = 0
                value = np.uint64(0)
        if bits:
            # fewer bits than a word: shown, and no made-up byte
            flags |= F.CUT_SHORT
            put_mark(marks, counts, word_begin, end, BITS, np.int64(value), F.CUT_SHORT)
            marks[counts[0] - 1, 6] = row
        put_frame(frames, counts, begin, end, np.int64(row), flags | (F.ANSWER if row else 0), first_byte)
