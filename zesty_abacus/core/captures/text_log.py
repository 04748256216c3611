"""SocketCAN text logs: one frame a line.

    (1700000000.123456) can0 1A0#0011223344556677        11-bit identifier
    (1700000000.123457) can0 18FF0210#01.02.03 R         29-bit, dots between bytes, received
    (1700000000.123458) can0 1A0#R4                      remote frame of 4 bytes
    (1700000000.123459) can0 1A0##5001122..               CAN FD: one digit of flags, up to 64 bytes
    (1700000000.123460) can0 20000004#0008000000000000   error frame (bit 29 of the identifier)

Hex digits may be of either case; a letter at the end says T for sent or R for received. The identifier's
flag bits are those of ``linux/can.h``, the FD flags those of its ``canfd_frame``.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..progress import Progress
from .cutting import CutAtLines
from .registry import Sink
from .report import ReadReport
from .room import FrameRoom
from .source import ByteSource
from .text_log_writer import NAME_ROOM, TextLogWriter

_MAX_LANES = 256
_SHORTEST_LINE = 16
_LONGEST_LINE = 4096

_REASONS = (
    "",
    "the line does not begin with a time such as (12.345678)",
    "the time is out of range",
    "the interface name is missing or longer than 31 letters",
    "the identifier is not 3 or 8 hex digits within 11 or 29 bits",
    "a payload digit is not hex, or half a byte is left over",
    "the payload is longer than its frame format allows",
    "there is something after the frame",
    "more than 256 interfaces occur in one file",
    "the line is longer than 4096 letters",
    "the last line is cut off",
)
_LINE_TOO_LONG = 9
_CUT_OFF = 10

_LINE = re.compile(rb"\(\d{1,11}\.\d{1,9}\)\s+\S+\s+[0-9A-Fa-f]{3,8}#")


class TextLog(CutAtLines):
    """Reader and writer of SocketCAN text logs."""

    name = "SocketCAN text log"
    suffixes = (".log",)
    protocols: tuple[str, ...] = ("can",)
    is_for_one_lane = False

    def sniff(self, head: bytes) -> bool:
        """Return whether one of the first lines is a frame."""
        return any(_LINE.match(line.strip()) for line in head.split(b"\n")[:20])

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all whole lines; broken ones are listed with their number."""
        state = _Interfaces()
        rest = b""
        line = 1
        for chunk in source.chunks(report, progress):
            data = rest + chunk
            end = data.rfind(b"\n") + 1
            if end == 0 and len(data) > _LONGEST_LINE:
                report.add_problem(f"line {line}", _REASONS[_LINE_TOO_LONG])
                data, end = data[-1:], 0
            if end:
                line = _read_lines(data[:end], line, state, sink, report)
            rest = data[end:]
        if rest.strip():
            self._read_last(rest, line, state, sink, report)

    def _read_last(self, rest: bytes, line: int, state: _Interfaces, sink: Sink, report: ReadReport) -> None:
        """Read a last line without a line end: many programs write none, so a frame that parses is kept."""
        probe = ReadReport(self.name)
        found: list[FrameTable] = []
        _read_lines(rest + b"\n", line, state, found.append, probe)
        report.lanes[:] = state.names()
        if probe.problem_count:
            report.add_problem(f"line {line}", _REASONS[_CUT_OFF])
        else:
            for table in found:
                sink(table)

    def open_writer(self, path: Path, lanes: Sequence[str]) -> TextLogWriter:
        """Start a text log; lane names become interface names."""
        return TextLogWriter(path, lanes)


FORMAT = TextLog()


class _Interfaces:
    """What is kept from chunk to chunk: interface names in the form the kernel takes, and room for frames."""

    def __init__(self) -> None:
        self.table = np.zeros((_MAX_LANES, NAME_ROOM), np.uint8)
        self.count = np.zeros(1, np.int64)
        self.room = FrameRoom(0, _SHORTEST_LINE, 2)

    def names(self) -> list[str]:
        rows = self.table[: int(self.count[0])]
        return [row[1 : 1 + row[0]].tobytes().decode("utf-8", "replace") for row in rows]


def _read_lines(data: bytes, line: int, state: _Interfaces, sink: Sink, report: ReadReport) -> int:
    """Parse whole lines, pass on their frames, list their problems; return the next line number."""
    text = np.frombuffer(data, np.uint8)
    room = state.room = state.room.enough_for(len(data))
    position, next_line = 0, line
    while position < len(text):
        frames, used, bad, position, next_line = _parse(
            *(text, position, next_line, state.table, state.count), *room.arguments()
        )
        report.add_problems(room.bad, int(bad), lambda number, reason: (f"line {number}", _REASONS[reason]))
        report.lanes[:] = state.names()
        if frames:
            sink(room.table(int(frames), int(used)))
    return int(next_line)


_DIGIT = np.full(256, -1, np.int64)
_DIGIT[np.frombuffer(b"0123456789abcdef", np.uint8)] = np.arange(16)
_DIGIT[np.frombuffer(b"ABCDEF", np.uint8)] = np.arange(10, 16)
"""Value of each hex digit, -1 for all else: a table, since branches on random digits are guessed wrong."""
_DECIMAL = np.full(256, -1, np.int64)
_DECIMAL[48:58] = np.arange(10)
_LAST_SECOND = 9_000_000_000


_USUAL_HEAD = 20
"""Letters of ``(1700000000.123456) ``, the head that nearly every line has."""
_LONGEST_USUAL = 32
"""Letters that may be looked up from the identifier on; the last lines of a chunk go the long way."""


@njit(cache=True, nogil=True, inline="always")
def _usual_head(text, at, stop):  # type: ignore[no-untyped-def]
    """Return the nanoseconds of a line with the usual head, -1 for any other line."""
    if at + _USUAL_HEAD >= stop or text[at] != 40 or text[at + 11] != 46 or text[at + 18] != 41 or text[at + 19] != 32:
        return np.int64(-1)
    seconds = np.int64(0)
    fraction = np.int64(0)
    wrong = np.int64(0)
    for i in range(1, 11):
        digit = _DECIMAL[text[at + i]]
        wrong |= digit
        seconds = seconds * 10 + digit
    for i in range(12, 18):
        digit = _DECIMAL[text[at + i]]
        wrong |= digit
        fraction = fraction * 10 + digit
    return seconds * 1_000_000_000 + fraction * 1000 if wrong >= 0 and seconds <= _LAST_SECOND else np.int64(-1)


@njit(cache=True, nogil=True, inline="always")
def _usual_name(text, at, stop, name):  # type: ignore[no-untyped-def]
    """Return the position after an interface name and one blank, -1 if another name stands there."""
    length = np.int64(name[0])
    if at + length >= stop or text[at + length] != 32:
        return np.int64(-1)
    differs = 0
    for i in range(length):
        differs |= name[1 + i] ^ text[at + i]
    return at + length + 1 if differs == 0 else np.int64(-1)


@njit(cache=True, nogil=True, inline="always")
def _usual_frame(text, at, payload, used):  # type: ignore[no-untyped-def]
    """Read ``1A0#0011`` or ``18FF0210#0011`` up to eight bytes.

    The text goes on with a line end, so digits may be looked up without counting letters. Returns (identifier or
    -1, flags, bytes, position after them).
    """
    number = _DIGIT[text[at]] << 8 | _DIGIT[text[at + 1]] << 4 | _DIGIT[text[at + 2]]
    bits = 0
    at += 3
    if number >= 0 and text[at] != 35:
        for _ in range(5):
            digit = _DIGIT[text[at]]
            if digit < 0:
                return np.int64(-1), 0, 0, at
            number = number << 4 | digit
            at += 1
        bits = F.EXTENDED
    if number < 0 or text[at] != 35 or number > (0x1FFFFFFF if bits else 0x7FF):
        return np.int64(-1), 0, 0, at
    at += 1
    count = 0
    while count < 8:
        pair = _DIGIT[text[at]] << 4 | _DIGIT[text[at + 1]]
        if pair < 0:
            break
        payload[used + count] = pair
        count += 1
        at += 2
    return number, bits, count, at


@njit(cache=True, nogil=True)
def _parse(  # type: ignore[no-untyped-def]
    text, position, line, names, name_count, time_ns, lane, address, flags, start, size, payload, bad_lines
):
    """Parse lines until the text or the room for broken ones ends."""
    frames = 0
    used = 0
    bad = 0
    end = len(text)
    recent = np.int64(0)
    while position < end and bad < len(bad_lines) and frames < len(time_ns):
        # nearly all lines look alike; whatever is unusual about one sends it the long way below
        nanoseconds = _usual_head(text, position, end)
        if nanoseconds >= 0 and name_count[0] > 0:
            at = _usual_name(text, position + _USUAL_HEAD, end, names[recent])
            if at > 0 and at + _LONGEST_USUAL < end:
                number, bits, count, at = _usual_frame(text, at, payload, used)
                if number >= 0 and at + 2 < end and text[at] == 32 and text[at + 2] == 10:
                    if text[at + 1] == 82:
                        bits |= F.RECEIVED
                        at += 2
                    elif text[at + 1] == 84:
                        bits |= F.SENT
                        at += 2
                if number >= 0 and text[at] == 10:
                    time_ns[frames] = nanoseconds
                    lane[frames] = recent
                    address[frames] = number
                    flags[frames] = bits
                    start[frames] = used
                    size[frames] = count
                    frames += 1
                    used += count
                    position = at + 1
                    line += 1
                    continue
        stop = position
        while text[stop] != 10:
            stop += 1
        last = stop
        while last > position and text[last - 1] <= 32:
            last -= 1
        while position < last and text[position] <= 32:
            position += 1
        if position < last:
            code, used_after = _parse_line(
                text, position, last, names, name_count, time_ns, lane, address, flags, size, payload, frames, used
            )
            if code == 0:
                recent = np.int64(lane[frames])
                start[frames] = used
                used = used_after
                frames += 1
            else:
                bad_lines[bad, 0] = line
                bad_lines[bad, 1] = code
                bad += 1
        position = stop + 1
        line += 1
    return frames, used, bad, position, line


@njit(cache=True, nogil=True)
def _parse_line(  # type: ignore[no-untyped-def]
    text, at, last, names, name_count, time_ns, lane, address, flags, size, payload, row, used
):
    """Parse one line into row ``row``; return (0 or reason, payload bytes used after it)."""
    code, nanoseconds, at = _parse_time(text, at, last)
    if code:
        return code, used
    if at < last and text[at] > 32:
        return 3, used
    at = _skip_blanks(text, at, last)
    name_start = at
    while at < last and text[at] > 32:
        at += 1
    if at == name_start or at - name_start >= NAME_ROOM or at == last:
        return 3, used
    name_end = at
    at = _skip_blanks(text, at, last)
    code, number, bits, at = _parse_identifier(text, at, last)
    if code:
        return code, used
    code, bits, at, used_after, length = _parse_payload(text, at, last, payload, used, bits)
    if code:
        return code, used
    if at < last and text[at] > 32:
        return 7, used
    at = _skip_blanks(text, at, last)
    if at + 1 == last and (text[at] | 32) == 116:
        bits |= F.SENT
    elif at + 1 == last and (text[at] | 32) == 114:
        bits |= F.RECEIVED
    elif at != last:
        return 7, used
    found = _find_name(text, name_start, name_end, names, name_count)
    if found < 0:
        return 8, used
    time_ns[row] = nanoseconds
    lane[row] = found
    address[row] = number
    flags[row] = bits
    size[row] = length
    return 0, used_after


@njit(cache=True, nogil=True)
def _skip_blanks(text, at, last):  # type: ignore[no-untyped-def]
    while at < last and text[at] <= 32:
        at += 1
    return at


@njit(cache=True, nogil=True)
def _parse_time(text, at, last):  # type: ignore[no-untyped-def]
    if at >= last or text[at] != 40:
        return 1, 0, at
    at += 1
    seconds = 0
    digits = 0
    while at < last and 48 <= text[at] <= 57:
        seconds = seconds * 10 + np.int64(text[at]) - 48
        digits += 1
        at += 1
        if digits > 11:
            return 2, 0, at
    if digits == 0 or at >= last or text[at] != 46:
        return 1, 0, at
    at += 1
    fraction = 0
    places = 0
    while at < last and 48 <= text[at] <= 57:
        if places < 9:
            fraction = fraction * 10 + np.int64(text[at]) - 48
            places += 1
        at += 1
    if places == 0 or at >= last or text[at] != 41:
        return 1, 0, at
    while places < 9:
        fraction *= 10
        places += 1
    if seconds > _LAST_SECOND:
        return 2, 0, at
    return 0, seconds * 1_000_000_000 + fraction, at + 1


@njit(cache=True, nogil=True)
def _parse_identifier(text, at, last):  # type: ignore[no-untyped-def]
    number = np.int64(0)
    digits = 0
    while at < last and digits < 9:
        value = _DIGIT[text[at]]
        if value < 0:
            break
        number = number * 16 + value
        digits += 1
        at += 1
    if at >= last or text[at] != 35:
        return 4, number, 0, at
    at += 1
    if digits == 3 and number <= 0x7FF:
        return 0, number, 0, at
    if digits == 8 and number <= 0x1FFFFFFF:
        return 0, number, F.EXTENDED, at
    if digits == 8 and 0x20000000 <= number <= 0x3FFFFFFF:
        return 0, number & 0x1FFFFFFF, F.ERROR, at
    return 4, number, 0, at


@njit(cache=True, nogil=True)
def _parse_payload(text, at, last, payload, used, bits):  # type: ignore[no-untyped-def]
    """Return (0 or reason, flags, position, payload bytes used, size)."""
    if at < last and (text[at] | 32) == 114:
        at += 1
        if at < last and 48 <= text[at] <= 56:
            at += 1
        return 0, bits | F.REMOTE, at, used, 0
    room = 8
    if at < last and text[at] == 35:
        at += 1
        value = _DIGIT[text[at]] if at < last else np.int64(-1)
        if value < 0:
            return 5, bits, at, used, 0
        at += 1
        room = 64
        bits |= F.LONG
        if value & 1:
            bits |= F.RATE_SWITCH
        if value & 2:
            bits |= F.ERROR_PASSIVE
    begin = used
    limit = used + room
    while at + 1 < last:
        pair = _DIGIT[text[at]] << 4 | _DIGIT[text[at + 1]]
        if pair >= 0:
            if used == limit:
                return 6, bits, at, used, 0
            payload[used] = pair
            used += 1
            at += 2
        elif text[at] == 46 and _DIGIT[text[at + 1]] >= 0:
            at += 1
        else:
            break
    if at < last and text[at] == 95 and used - begin == 8 and room == 8:
        # a raw length code above 8 follows; the payload has 8 bytes all the same
        at = min(at + 2, last)
    if at < last and text[at] > 32:
        return 5, bits, at, used, 0
    return 0, bits, at, used, used - begin


@njit(cache=True, nogil=True)
def _find_name(text, first, last, names, count):  # type: ignore[no-untyped-def]
    """Return the number of an interface name, a new one if there is room, else -1."""
    length = last - first
    for number in range(count[0]):
        if names[number, 0] != length:
            continue
        same = True
        for i in range(length):
            if names[number, 1 + i] != text[first + i]:
                same = False
                break
        if same:
            return number
    if count[0] == len(names):
        return -1
    number = count[0]
    names[number, 0] = length
    for i in range(length):
        names[number, 1 + i] = text[first + i]
    count[0] += 1
    return number
