"""Value change dumps (IEEE 1364-2005, clause 18): streamed, vectors bit by bit, unknown and open levels kept apart."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import Channel, LineRecording
from ..waves.samples import Samples
from .columns import Columns
from .report import CaptureReadError, ReadReport
from .source import CHUNK, ByteSource
from .spool import ColumnSpool

_UNITS = {"s": 10**15, "ms": 10**12, "us": 10**9, "ns": 10**6, "ps": 10**3, "fs": 1}
"""Femtoseconds of each unit."""
_HEAD_LIMIT = 16 << 20
_MOST_CHANNELS = 4096
_MOST_BITS = 1024
"""Of one variable: what is wider is no line, and would leave no room for the others."""
_LONGEST_WORD = 1 << 20
_LONGEST_TICK_FS = 1000 * 10**15
_BLANK = re.compile(rb"\s")
_REAL = 64
"""Level that stands for a number in the kernel's rows."""
_REASONS = ("", "an identifier that no variable has", "a value without its variable", "time goes back")


@dataclass(frozen=True, slots=True)
class _Variable:
    code: str
    name: str
    width: int
    real: bool
    declared: int
    """How many bits it has; more than ``width`` of one that is too wide."""


class Vcd:
    """Reader of value change dumps."""

    name = "VCD"
    suffixes = (".vcd",)

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether the file begins with a declaration."""
        words = head.split(None, 1)
        known = (b"$date", b"$version", b"$timescale", b"$scope", b"$comment", b"$var")
        return bool(words) and words[0] in known and b"$" in head[1:]

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Read all changes; each bit of a vector is a channel of its own.

        Raises
        ------
        CaptureReadError
            If the declarations do not end, or name no variable.
        """
        with ByteSource(path) as source:
            data = b""
            chunks = source.chunks(report, progress)
            for chunk in chunks:
                data += chunk
                end = data.find(b"$enddefinitions")
                if end >= 0 and b"$end" in data[end + 15 :]:
                    break
                if len(data) > _HEAD_LIMIT:
                    raise CaptureReadError("the declarations do not end.", where=str(path))
            else:
                inside = "the file ends inside its declarations." if data.lstrip()[:1] == b"$" else (
                    "the file does not begin as a value change dump does."
                )  # fmt: skip
                raise CaptureReadError(inside, where=str(path))
            end = data.index(b"$end", end + 15) + 4
            head = data[:end].decode("ascii", "replace")
            with ColumnSpool(folder) as spool:
                body = _Body(head, spool, report, path)
                body.take(data[end:], end)
                offset = len(data)
                for chunk in chunks:
                    body.take(chunk, offset)
                    offset += len(chunk)
                return body.finish()


LINES = Vcd()


class _Body:
    """The changes being read."""

    def __init__(self, head: str, spool: ColumnSpool, report: ReadReport, path: Path) -> None:
        self._report = report
        self._variables = _declared(head)
        if not self._variables:
            raise CaptureReadError("no variable is declared.", where=str(path))
        for one in self._variables:
            if one.width < one.declared:
                report.add_problem(one.name, f"of its {one.declared} bits the lowest {one.width} are read")
        self._date = _date_of(head)
        self._femto = _timescale(head, path)
        widths = np.array([variable.width for variable in self._variables], np.int64)
        self._first = np.cumsum(widths) - widths
        self._widths = widths
        self._channels = int(widths.sum())
        if self._channels > _MOST_CHANNELS:
            raise CaptureReadError(f"{self._channels} bits are declared, more than {_MOST_CHANNELS}.", where=str(path))
        keys = np.array([_key(variable.code) for variable in self._variables], np.int64)
        # variables that share a code are one signal under two names
        self._keys, order = np.unique(keys, return_index=True)
        self._order = order.astype(np.int64)
        self._reals = np.array([variable.real for variable in self._variables], np.bool_)
        self._spool = spool
        self._state = np.zeros(4, np.int64)  # time, in comment, changes, time seen
        most = max(CHUNK // 2, 2 * int(widths.max())) + 16
        self._room = (
            np.empty(most, np.int32), np.empty(most, np.int64), np.empty(most, np.int8), np.empty(most, np.float64),
            np.empty((most, 2), np.int64),
        )  # fmt: skip
        self._rest = b""
        self._is_dropping = False
        self._span = [0, 0]
        self._seen = False

    def take(self, chunk: bytes, offset: int) -> None:
        """Parse whole tokens of a chunk."""
        if self._is_dropping:
            dropped = _BLANK.search(chunk)
            if dropped is None:
                return
            self._is_dropping = False
            chunk, offset = chunk[dropped.start() :], offset + dropped.start()
        data = self._rest + chunk
        self._rest = self._parse(data, offset - len(self._rest), final=False)
        if len(self._rest) > _LONGEST_WORD:
            # joining a word without an end again and again would take the square of its length
            place = offset + len(chunk) - len(self._rest)
            self._report.add_problem(f"byte {place}", f"a word of more than {_LONGEST_WORD} bytes is left out")
            self._rest, self._is_dropping = b"", True

    def _parse(self, data: bytes, offset: int, final: bool) -> bytes:
        data += b"\n" if final else b""
        position = 0
        while True:
            part = data[position:]
            taken, full = self._parse_part(part, offset + position)
            position += taken
            if not full:
                return data[position:]

    def _parse_part(self, data: bytes, offset: int) -> tuple[int, bool]:
        """Parse until the data or the room are used up; return the bytes taken and whether the room was."""
        view = np.frombuffer(data, np.uint8)
        channel, time, level, number, bad = self._room
        count, problems, position, full = _changes(
            view, self._keys, self._order, self._first, self._widths, self._reals, self._femto, self._state,
            channel, time, level, number, bad,
        )  # fmt: skip
        told = self._report.add_problems
        told(bad, int(problems), lambda place, reason: (f"byte {offset + place}", _REASONS[reason]))
        if self._state[3]:
            if not self._seen:
                self._span[0] = int(time[0]) if count else int(self._state[0])
                self._seen = True
            self._span[1] = max(self._span[1], int(self._state[0]))
        self._distribute(channel[:count], time[:count], level[:count], number[:count])
        return int(position), bool(full)

    def _distribute(self, channel: NDArray, time: NDArray, level: NDArray, number: NDArray) -> None:
        order = np.argsort(channel, kind="stable")
        bounds = np.searchsorted(channel[order], np.arange(self._channels + 1))
        for place in np.flatnonzero(np.diff(bounds)):
            rows = order[bounds[place] : bounds[place + 1]]
            self._spool.append(f"{place}.time", time[rows])
            if level[rows[0]] == _REAL:
                self._spool.append(f"{place}.number", number[rows])
            else:
                self._spool.append(f"{place}.level", level[rows])

    def finish(self) -> LineRecording:
        """Return the recording."""
        if self._rest.strip():
            self._parse(self._rest, 0, final=True)
        channels = []
        for variable, first in zip(self._variables, self._first, strict=True):
            for bit in range(variable.width):
                place = int(first) + bit
                name = variable.name if variable.width == 1 else f"{variable.name}[{variable.width - 1 - bit}]"
                channels.append(self._channel(name, place, variable.real))
        names: set[str] = set()
        unique = []
        for channel in channels:
            name = channel.name
            while name in names:
                name += "'"
            names.add(name)
            unique.append(Channel(name, channel.samples, channel.edges))
        return LineRecording("VCD", tuple(unique), self._date, facts=(("timescale", _scale_words(self._femto)),))

    def _channel(self, name: str, place: int, real: bool) -> Channel:
        time = self._spool.column(f"{place}.time", np.int64)
        begin, end = self._span
        if real:
            values = self._spool.column(f"{place}.number", np.float64).astype(np.float32)
            rate = 1e9 * max(len(time) - 1, 1) / max(int(time[-1] - time[0]), 1) if len(time) else 1.0
            return Channel(name, samples=Samples(values, rate, begin_ns=begin, stamps_ns=np.asarray(time)))
        level = self._spool.column(f"{place}.level", np.int8)
        return Channel(name, edges=_edges(np.asarray(time), np.asarray(level), begin, end))


def _edges(time: NDArray[np.int64], level: NDArray[np.int8], begin: int, end: int) -> Edges:
    """Keep changes between known levels; spans of x and z stand beside them."""
    known = level < 2
    starts = np.flatnonzero(~known & np.concatenate([[True], known[:-1]])) if len(level) else np.empty(0, np.int64)
    spans = []
    for start in starts:
        after = np.flatnonzero(known[start:])
        spans.append((int(time[start]), int(time[start + after[0]]) if len(after) else end))
    time, level = time[known], level[known]
    first = int(level[0]) if len(level) else 0
    changes = np.flatnonzero(np.diff(np.concatenate([[first], level])) != 0) if len(level) else np.empty(0, np.int64)
    unknown = np.array(spans, np.int64).reshape(-1, 2)
    return Edges(time[changes], level[changes], first, begin, end, unknown)


def _declared(head: str) -> list[_Variable]:
    scopes: list[str] = []
    found = []
    for match in re.finditer(r"\$(scope|upscope|var)\b(.*?)\$end", head, re.DOTALL):
        words = match.group(2).split()
        if match.group(1) == "scope" and len(words) >= 2:
            scopes.append(words[1])
        elif match.group(1) == "upscope" and scopes:
            scopes.pop()
        elif match.group(1) == "var" and len(words) >= 4 and words[1].isdigit() and len(words[2]) <= 9:
            real = words[0] in ("real", "realtime")
            bits = 1 if real else max(int(words[1]), 1)
            width = min(bits, _MOST_BITS)
            name = "".join(words[3:])
            if width > 1:
                name = re.sub(r"\[\d+:\d+\]$", "", name)
            found.append(_Variable(words[2], ".".join([*scopes[1:], name]), width, real, bits))
    return found


def _timescale(head: str, path: Path) -> int:
    match = re.search(r"\$timescale\s+(\d+)\s*([munpf]?s)\s+\$end", head)
    if match is None:
        raise CaptureReadError(
            "no timescale is declared.", where=str(path), hint="Expected such as $timescale 1 ns $end."
        )
    femto = int(match.group(1)[:30]) * _UNITS[match.group(2)]
    if not 0 < femto <= _LONGEST_TICK_FS:
        raise CaptureReadError(
            f"the timescale {match.group(1)[:20]} {match.group(2)} is none.", where=str(path),
            hint="Expected such as 1, 10 or 100 ns (IEEE 1364-2005, 18.2.3.6).",
        )  # fmt: skip
    return femto


def _scale_words(femto: int) -> str:
    unit, size = next((unit, size) for unit, size in _UNITS.items() if femto >= size)
    return f"{femto // size} {unit}"


def _date_of(head: str) -> int | None:
    match = re.search(r"\$date\s+(.*?)\s*\$end", head, re.DOTALL)
    if match is None:
        return None
    try:
        date = datetime.fromisoformat(match.group(1).strip())
    except ValueError:
        return None
    date = date if date.tzinfo else date.replace(tzinfo=UTC)
    return round(date.timestamp() * 1e6) * 1000


def _key(code: str) -> int:
    key = 0
    for letter in code:
        key = key * 95 + ord(letter) - 32
    return key


@njit(cache=True, nogil=True)
def _find(keys, key):  # type: ignore[no-untyped-def]
    low, high = 0, len(keys)
    while low < high:
        middle = (low + high) // 2
        if keys[middle] < key:
            low = middle + 1
        else:
            high = middle
    return low if low < len(keys) and keys[low] == key else -1


@njit(cache=True, nogil=True)
def _level_of(code):  # type: ignore[no-untyped-def]
    if code == 48 or code == 49:
        return code - 48
    return 3 if code == 122 or code == 90 else 2


@njit(cache=True, nogil=True)
def _number(data, at, end):  # type: ignore[no-untyped-def]
    """Read a decimal number with an optional exponent."""
    sign, value, scale = 1.0, 0.0, 0
    point = False
    if at < end and (data[at] == 45 or data[at] == 43):
        sign = -1.0 if data[at] == 45 else 1.0
        at += 1
    while at < end and (48 <= data[at] <= 57 or data[at] == 46):
        if data[at] == 46:
            point = True
        else:
            value = value * 10 + (data[at] - 48)
            if point:
                scale -= 1
        at += 1
    if at < end and (data[at] == 101 or data[at] == 69):
        at += 1
        minus = at < end and data[at] == 45
        if at < end and (data[at] == 45 or data[at] == 43):
            at += 1
        exponent = 0
        while at < end and 48 <= data[at] <= 57 and exponent < 400:
            exponent = exponent * 10 + np.int64(data[at] - 48)
            at += 1
        scale += -exponent if minus else exponent
    return sign * value * 10.0**scale


@njit(cache=True, nogil=True)
def _changes(data, keys, order, first, widths, reals, femto, state, channel, time, level, number, bad):  # type: ignore[no-untyped-def]
    """Parse whole tokens; return (changes, problems, position of the rest, whether the room is full)."""
    count = problems = 0
    widest = np.int64(1)
    for width in widths:
        widest = max(widest, width)
    full = False
    at = 0
    n = len(data)
    now, comment = state[0], state[1]
    value_start = value_end = -1
    done = 0
    while True:
        while at < n and data[at] <= 32:
            at += 1
        begin = at
        while at < n and data[at] > 32:
            at += 1
        if at >= n:
            break
        end = at
        code = data[begin]
        if comment:
            if end - begin == 4 and code == 36 and data[begin + 1] == 101 and data[begin + 2] == 110:
                comment = 0
            done = at
            continue
        if value_start >= 0 or code == 48 or code == 49 or code in (120, 88, 122, 90):
            name = begin if value_start >= 0 else begin + 1
            if name == end:
                # a value and its variable with a blank between them, which some write
                bad[problems, 0], bad[problems, 1] = begin, 2
                problems += 1
                done = at
                continue
            key = np.int64(0)
            for i in range(name, min(end, name + 9)):
                key = key * 95 + np.int64(data[i]) - 32
            place = _find(keys, key) if end - name <= 9 else -1
            if place < 0:
                bad[problems, 0], bad[problems, 1] = begin, 1
                problems += 1
            else:
                variable = order[place]
                if value_start < 0:
                    row = first[variable] + widths[variable] - 1
                    channel[count], time[count], level[count] = row, now, _level_of(code)
                    count += 1
                elif reals[variable]:
                    channel[count], time[count], level[count] = first[variable], now, 64
                    number[count] = _number(data, value_start, value_end)
                    count += 1
                else:
                    width = widths[variable]
                    digits = value_end - value_start
                    # a short value is filled with zeros, or with its own x or z
                    lead = _level_of(data[value_start]) if digits else 0
                    fill = lead if lead >= 2 else 0
                    for bit in range(width):
                        digit = digits - width + bit
                        channel[count], time[count] = first[variable] + bit, now
                        level[count] = _level_of(data[value_start + digit]) if digit >= 0 else fill
                        count += 1
            value_start = -1
            done = at
        elif code == 35:
            tick = np.int64(0)
            for i in range(begin + 1, end):
                if 48 <= data[i] <= 57 and tick < 900_000_000_000_000_000:
                    tick = tick * 10 + np.int64(data[i] - 48)
            # femtoseconds go beyond 64 bits soon, so whole and rest are taken apart
            then = tick // 1_000_000 * femto + tick % 1_000_000 * femto // 1_000_000
            if then < now:
                bad[problems, 0], bad[problems, 1] = begin, 3
                problems += 1
            else:
                now = then
                state[3] = 1
            done = at
        elif code == 98 or code == 66 or code == 114 or code == 82:
            # done stays before it: its variable may stand in the next chunk
            value_start, value_end = begin + 1, end
        elif code == 36:
            if end - begin == 8 and data[begin + 1] == 99:
                comment = 1
            done = at
        else:
            bad[problems, 0], bad[problems, 1] = begin, 2
            problems += 1
            done = at
        if value_start < 0 and (count + widest > len(channel) or problems + 2 > len(bad)):
            full = True
            break
    state[0], state[1] = now, comment
    return count, problems, done, full
