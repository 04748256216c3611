"""SPI: a clock, one or two data lines, and mostly a select line.

A transfer, from select to deselect, gives a frame for each data line: address 0 for the line to the device, 1 with the
flag ``answer`` for the line from it. Words that are no whole bytes are padded with zeros at the top; their bytes stand
highest first.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..waves.edges import Edges
from ..words import grouped
from .result import BITS, DATA, Fact, LineResult, LineRoom, Marks, put_byte, put_frame, put_mark, table_of
from .settings import LineSettings, Proposal, Setting
from .spi_transfers import MODE, Windows, agreement, clock_facts, find_mode, takes_of, windows_of
from .timing import clock_hz


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
        MODE,
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
        windows = windows_of(clock, select, settings.select_low, settings.gap_us)
        results = [self._line(settings, clock, data, row, mode, windows) for row, data in datas]
        facts = (Fact("mode", float(mode), "", f"{mode}{': ' if reason else ''}{reason}"), *clock_facts(clock))
        return _merged(results).with_facts(*facts)

    def _line(self, settings: SpiLine, clock: Edges, data: Edges, row: int, mode: int, windows: Windows) -> LineResult:
        begins, ends, cut = windows
        word_bits = min(max(settings.word_bits, 1), 64)
        takes = takes_of(clock, mode)
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
    begins, ends, _ = windows_of(clock, select, settings.select_low, settings.gap_us)
    rises = clock.time_ns[clock.level == 1]
    counts = np.searchsorted(rises, ends) - np.searchsorted(rises, begins)
    used = counts[counts > 0]
    if not len(used):
        return []
    whole = float(np.mean(used % 8 == 0))
    mode, reason = find_mode(clock, [others[data] for data in datas], select, settings.select_low)
    score = inside * agreement(clock, [others[data] for data in datas]) * (0.4 + 0.6 * whole)
    rate = clock_hz(clock)
    where = f", selected by {key} while {'low' if settings.select_low else 'high'}" if key else ", no select line"
    of_bytes = f"{grouped(len(used))} transfers, {whole:.0%} of whole bytes"
    words = f"clock on {name}, {rate / 1e6:.3g} MHz{where}: {of_bytes}; {reason}"
    return [Proposal(msgspec.structs.replace(settings, mode=mode), score, words)]


def _clocks_within(clock: Edges, select: Edges, level: int) -> float:
    at = np.searchsorted(select.time_ns, clock.time_ns, side="right") - 1
    levels = np.where(at >= 0, select.level[np.maximum(at, 0)] if len(select) else select.first, select.first)
    return float(np.mean(levels == level)) if len(clock) else 0.0


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
