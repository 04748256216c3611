"""SPI whose data lines work together, two or four of them, as memories use it.

A transfer begins with bytes on the first line, mostly a command; then all lines carry bits of one byte, the last line
the highest of them. After an address the controller lets go of the lines for some clocks, and what stands behind those
is the device's answer. Commands that are not among those that go on so are read as on one line each way.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..waves.edges import Edges
from ..words import grouped
from .result import BITS, CONTROL, DATA, Fact, LineResult, LineRoom, Marks, put_byte, put_frame, put_mark
from .settings import LineSettings, Proposal, Setting
from .spi import DECODER as NARROW
from .spi import SpiLine
from .spi_transfers import MODE, agreement, clock_facts, find_mode, takes_of, windows_of

_ROLES = ("data_0", "data_1", "data_2", "data_3")
_MOST_SINGLE = 5
"""Bytes on one line that a proposal looks for: a command and an address of four bytes."""


class WideSpiLine(LineSettings, frozen=True, kw_only=True, tag="spi wide"):
    """Lines, and how a transfer goes on; two lines work together where the third and fourth are left out.

    Attributes
    ----------
    single_bytes
        Bytes on the first line before all lines take part.
    wide_commands
        First bytes, in hex, of transfers that go on so; all if there are none.
    wide_bytes, wait_clocks
        Bytes on all lines before the wait, and how many clocks it lasts; without a wait nothing is an answer.
    """

    clock: str = ""
    data_0: str = ""
    data_1: str = ""
    data_2: str = ""
    data_3: str = ""
    select: str = ""
    select_low: bool = True
    mode: int | None = None
    single_bytes: int = 1
    wide_commands: str = ""
    wide_bytes: int = 3
    wait_clocks: int = 0
    gap_us: float | None = None


class _WideSpi:
    name = "Wide SPI"
    protocol = "spi"
    gives = "frames"
    settings = WideSpiLine
    fields = (
        Setting("clock", "clock line", "channel"),
        Setting("data_0", "data line 0", "channel"),
        Setting("data_1", "data line 1", "channel"),
        Setting("data_2", "data line 2", "channel", optional=True),
        Setting("data_3", "data line 3", "channel", optional=True),
        Setting("select", "select line", "channel", optional=True),
        Setting("select_low", "selected while low", "flag"),
        MODE,
        Setting("single_bytes", "bytes on line 0 first", "number"),
        Setting("wide_commands", "commands that go on wide", "text"),
        Setting("wide_bytes", "wide bytes, then", "number"),
        Setting("wait_clocks", "clocks of waiting", "number"),
        Setting("gap_us", "gap between transfers", "number", "µs", measured=True),
    )

    def decode(self, settings: WideSpiLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode; what the device answers is a frame of its own."""
        clock, select = lines["clock"], lines.get("select")
        datas = [lines[role] for role in _ROLES if role in lines]
        if len(datas) == 3:
            raise MisuseError("three data lines work together nowhere.", where=self.name, hint="Choose two or four.")
        reason, mode = "", settings.mode
        if mode is None:
            mode, reason = find_mode(clock, datas, select, settings.select_low)
        windows = windows_of(clock, select, settings.select_low, settings.gap_us)
        takes = takes_of(clock, mode)
        levels = np.stack([_levels_before(data, takes) for data in datas])
        form = tuple(max(int(n), 0) for n in (settings.single_bytes, settings.wide_bytes, settings.wait_clocks))
        room = LineRoom(
            3 * len(takes) + 4 * len(windows.begin), 2 * len(windows.begin), len(takes) * len(datas) // 8 + 8
        )
        _decode(takes, clock.time_ns, levels, *windows, form, _commands(settings), *room.arguments())
        result = room.result()
        rows = result.marks.rows
        # both lines of a transfer that does not go on wide are gone through one after the other
        marks = Marks(rows[np.argsort(rows[:, 0], kind="stable")])
        said = f"{mode}{': ' if reason else ''}{reason}"
        return replace(result, marks=marks).with_facts(Fact("mode", float(mode), "", said), *clock_facts(clock))

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Look where three more lines change with the clock of what is SPI on one, and from which byte on.

        Two lines that work together look like one each way.
        """
        if len(channels) < 5:
            return []
        narrow = [one.settings for one in NARROW.propose(channels) if isinstance(one.settings, SpiLine)]
        return [one for settings in narrow if (one := _widened(settings, channels)) is not None]


DECODER = _WideSpi()


def _levels_before(data: Edges, takes: NDArray[np.int64]) -> NDArray[np.uint8]:
    """Return the level of a line just before each moment."""
    at = np.searchsorted(data.time_ns, takes, side="left") - 1
    levels = data.level[np.maximum(at, 0)] if len(data) else np.zeros(len(takes), np.int8)
    return np.where(at >= 0, levels, data.first).astype(np.uint8)


def _commands(settings: WideSpiLine) -> NDArray[np.bool_]:
    """Return for each first byte whether its transfer goes on wide."""
    try:
        named = bytes.fromhex(settings.wide_commands)
    except ValueError as error:
        raise MisuseError(
            f"{settings.wide_commands!r} is no bytes in hex.", where=_WideSpi.name, hint="Write them like 6B EB."
        ) from error
    wide = np.full(256, not named, np.bool_)
    wide[list(named)] = True
    return wide


def _widened(narrow: SpiLine, channels: Mapping[str, Edges]) -> Proposal | None:
    """Return the proposal for four lines with the clock of one for a line each way; None if there are no four."""
    clock, select = channels[narrow.clock], channels.get(narrow.select)
    datas = {
        name: edges for name, edges in channels.items()
        if name not in (narrow.clock, narrow.select) and 4 <= len(edges) <= 1.05 * len(clock)
    }  # fmt: skip
    agrees = agreement(clock, list(datas.values()))
    if len(datas) != len(_ROLES) or narrow.mode is None:
        return None
    takes = takes_of(clock, narrow.mode)
    begins, ends, _ = windows_of(clock, select, narrow.select_low, None)
    first, stop = np.searchsorted(takes, begins), np.searchsorted(takes, ends)
    first, stop = first[first < stop], stop[first < stop]
    if not len(first):
        return None
    quiet = {name: _clocks_until_change(_levels_before(edges, takes), first, stop) for name, edges in datas.items()}
    # the command stands on the line that is not quiet while it is sent
    lead = min(datas, key=lambda name: quiet[name])
    rest = [name for name in datas if name != lead]
    single = min(min(quiet[name] for name in rest) // 8, _MOST_SINGLE)
    whole = float(np.mean((stop - first - 8 * single) % 2 == 0))
    settings = WideSpiLine(
        clock=narrow.clock, data_0=lead, data_1=rest[0], data_2=rest[1], data_3=rest[2], select=narrow.select,
        select_low=narrow.select_low, mode=narrow.mode, single_bytes=single,
    )  # fmt: skip
    reason = (
        f"clock on {narrow.clock}, four lines change with it, three of them not before byte {single}: "
        f"{grouped(len(first))} transfers, {whole:.0%} of whole bytes; how many clocks are a wait is not told by a wave"
    )
    return Proposal(settings, agrees * (0.4 + 0.6 * whole), reason)


def _clocks_until_change(levels: NDArray[np.uint8], first: NDArray[np.int64], stop: NDArray[np.int64]) -> int:
    """Return the fewest clocks of a transfer that a line is quiet for from its beginning on."""
    changed = np.flatnonzero(np.diff(levels)) + 1
    # the first change behind the first clock of each transfer
    at = np.searchsorted(changed, first, side="right")
    moments = np.where(at < len(changed), changed[np.minimum(at, len(changed) - 1)], stop) if len(changed) else stop
    return int(np.min(np.minimum(moments, stop) - first))


@njit(cache=True, nogil=True)
def _decode(takes, changes, levels, begins, ends, cut, form, commands, marks, frames, payload, counts):  # type: ignore[no-untyped-def]
    """Cut each transfer into its parts; ``levels`` has a row a line and a column a moment in ``takes``."""
    single_bytes, wide_bytes, wait_clocks = form
    lines = len(levels)
    at = 0
    for window in range(len(begins)):
        begin, end = begins[window], ends[window]
        while at < len(takes) and takes[at] < begin:
            at += 1
        first = at
        while at < len(takes) and takes[at] < end:
            at += 1
        if first == at:
            continue
        flags = np.int64(F.CUT_SHORT) if cut[window] else np.int64(0)
        span = (begin, end)
        command = 0
        for clock in range(first, min(first + 8, at)):
            command = command << 1 | levels[0, clock]
        if single_bytes > 0 and not commands[command]:
            for line in range(2):
                _put_part(takes, changes, levels[line : line + 1], first, at, end, line, marks, payload, counts)
                _finish(span, line, flags, (at - first) % 8, frames, counts, payload)
            continue
        wide = min(first + 8 * single_bytes, at)
        _put_part(takes, changes, levels[:1], first, wide, end, 0, marks, payload, counts)
        left = (wide - first) % 8
        waits = min(wide + wide_bytes * 8 // lines, at) if wait_clocks else at
        _put_part(takes, changes, levels, wide, waits, end, 0, marks, payload, counts)
        left += (waits - wide) * lines % 8
        _finish(span, 0, flags, left, frames, counts, payload)
        answers = min(waits + wait_clocks, at)
        if answers < at:
            put_mark(marks, counts, takes[waits], takes[answers], CONTROL, answers - waits, 0)
            marks[counts[0] - 1, 6] = 1
            _put_part(takes, changes, levels, answers, at, end, 1, marks, payload, counts)
            _finish(span, 1, flags, (at - answers) * lines % 8, frames, counts, payload)


@njit(cache=True, nogil=True)
def _put_part(takes, changes, levels, first, stop, end, row, marks, payload, counts):  # type: ignore[no-untyped-def]
    """Put the whole bytes of some clocks, and show the bits behind them."""
    clocks = 8 // len(levels)
    for begin in range(first, stop, clocks):
        behind = min(begin + clocks, stop)
        value = np.int64(0)
        for clock in range(begin, behind):
            for line in range(len(levels) - 1, -1, -1):
                value = value << 1 | levels[line, clock]
        # a byte is drawn up to the clock edge after its last bit
        change = np.searchsorted(changes, takes[behind - 1], side="right")
        until = min(changes[change], end) if change < len(changes) else end
        if behind - begin == clocks:
            put_mark(marks, counts, takes[begin], until, DATA, value, 0)
            put_byte(payload, counts, value)
        else:
            put_mark(marks, counts, takes[begin], until, BITS, value, F.CUT_SHORT)
        marks[counts[0] - 1, 6] = row


@njit(cache=True, nogil=True)
def _finish(span, row, flags, bits_left, frames, counts, payload):  # type: ignore[no-untyped-def]
    """Finish a frame of what was put since the one before it."""
    first_byte = np.int64(0)
    if counts[1]:
        last = counts[1] - 1
        first_byte = frames[last, 4] + frames[last, 5]
    flags |= (F.CUT_SHORT if bits_left else 0) | (F.ANSWER if row else 0)
    put_frame(frames, counts, span[0], span[1], np.int64(row), flags, first_byte)
