"""Timed bytes as text: a line a piece, ``12.345678 > 41 42 43``.

The time is in seconds; ``>`` or ``<`` says sent or received and may be left out; bytes are in hex, with or without
blanks between them; ``#`` begins a remark. It is what a serial line or any other stream is easily noted as.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..progress import Progress
from .output import ByteOutput
from .registry import Sink
from .report import ReadReport
from .room import FrameRoom
from .source import ByteSource
from .whole_lines import whole_lines

_REASONS = (
    "",
    "the line does not begin with a time",
    "the bytes are no pairs of hex digits",
    "the time is out of range",
)


class TimedBytes:
    """Reader and writer of timed bytes."""

    name = "timed bytes"
    suffixes = (".bytes",)
    protocols: tuple[str, ...] = ("serial",)
    is_for_one_lane = True

    def sniff(self, head: bytes) -> bool:
        """Return whether nearly all lines have the form."""
        lines = [line for line in head.split(b"\n")[:-1][:50] if line.strip() and not line.lstrip().startswith(b"#")]
        if not lines or b"\x00" in head:
            return False
        text = b"\n".join(lines) + b"\n"
        room = FrameRoom(len(text), 3, 2)
        frames, *_ = _parse(np.frombuffer(text, np.uint8), True, *room.arguments())
        return int(frames) >= 0.6 * len(lines)

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all lines; those that have another form are listed."""
        report.lanes.append("")
        report.holds_bytes = True
        room = FrameRoom(0, 3, 2)
        for data, line in whole_lines(source, report, progress):
            room = room.enough_for(len(data))
            _take(data, line, room, sink, report)

    def open_writer(self, path: Path, lanes: Sequence[str]) -> TimedBytesWriter:
        """Start a file of timed bytes.

        Raises
        ------
        MisuseError
            If there is more than one lane, which it cannot tell apart.
        """
        if len(lanes) > 1:
            raise MisuseError(f"timed bytes hold one lane, not {len(lanes)}.", where=str(path))
        return TimedBytesWriter(path)


FORMAT = TimedBytes()


def _take(data: bytes, first_line: int, room: FrameRoom, sink: Sink, report: ReadReport) -> None:
    frames, used, bad = _parse(np.frombuffer(data, np.uint8), False, *room.arguments())
    report.add_problems(room.bad, int(bad), lambda line, reason: (f"line {first_line + line}", _REASONS[reason]))
    if frames:
        sink(room.table(int(frames), int(used)))


@njit(cache=True, nogil=True)
def _digit(code):  # type: ignore[no-untyped-def]
    if 48 <= code <= 57:
        return code - 48
    code = code | 32
    return code - 87 if 97 <= code <= 102 else -1


@njit(cache=True, nogil=True)
def _parse(data, strict, time_ns, lane, address, flags, start, size, payload, bad_places):  # type: ignore[no-untyped-def]
    """Parse whole lines; return (frames, payload bytes, problems)."""
    frames = used = bad = line = at = 0
    n = len(data)
    while at < n:
        reason = 0
        while at < n and (data[at] == 32 or data[at] == 9 or data[at] == 13):
            at += 1
        if at < n and data[at] != 10 and data[at] != 35:
            seconds = fraction = np.int64(0)
            digits = 0
            begin = at
            while at < n and 48 <= data[at] <= 57:
                if digits < 18:
                    seconds = seconds * 10 + np.int64(data[at] - 48)
                digits += 1
                at += 1
            if at == begin:
                reason = 1
            elif digits > 10 or seconds > 9_000_000_000:
                reason = 3
            digits = 0
            if at < n and data[at] == 46:
                at += 1
                while at < n and 48 <= data[at] <= 57:
                    if digits < 9:
                        fraction = fraction * 10 + np.int64(data[at] - 48)
                        digits += 1
                    at += 1
            elif strict:
                reason = 1
            for _ in range(digits, 9):
                fraction *= 10
            if at < n and not (data[at] == 32 or data[at] == 9 or data[at] == 58 or data[at] == 10 or data[at] == 13):
                reason = reason or 1
            direction = 0
            first = used
            while at < n and data[at] != 10 and data[at] != 35 and reason == 0:
                code = data[at]
                if code == 32 or code == 9 or code == 13 or code == 58:
                    at += 1
                elif code == 62 or code == 60:
                    direction = F.SENT if code == 62 else F.RECEIVED
                    at += 1
                else:
                    high = _digit(code)
                    low = _digit(data[at + 1]) if at + 1 < n else -1
                    if high < 0 or low < 0:
                        reason = 2
                    else:
                        payload[used] = high << 4 | low
                        used += 1
                        at += 2
            if reason == 0 and used > first:
                time_ns[frames] = seconds * 1_000_000_000 + fraction
                lane[frames] = 0
                address[frames] = 0
                flags[frames] = direction
                start[frames] = first
                size[frames] = used - first
                frames += 1
            else:
                used = first
                bad_places[bad, 0] = line
                bad_places[bad, 1] = reason if reason else 2
                bad += 1
        while at < n and data[at] != 10:
            at += 1
        at += 1
        line += 1
    return frames, used, bad


class TimedBytesWriter:
    """Writes a line a frame."""

    def __init__(self, path: Path) -> None:
        self._output = ByteOutput(path)

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table; empty ones have no form here and are left out."""
        lines = []
        for row in range(len(table)):
            time, flags = int(table.time_ns[row]), int(table.flags[row])
            way = " >" if flags & F.SENT else " <" if flags & F.RECEIVED else ""
            if table.size[row]:
                lines.append(f"{time // 10**9}.{time % 10**9:09d}{way} {table.payload_of(row).hex(' ').upper()}\n")
        self._output.write("".join(lines).encode())

    def close(self) -> None:
        """Finish the file."""
        self._output.close()
