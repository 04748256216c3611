"""Tables of samples: analog or digital channels, with or without a time column, any separator and decimal sign."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import Channel, LineRecording
from ..waves.samples import Samples
from .column_guess import guess_columns
from .columns import Columns, split_line
from .report import CaptureReadError, ReadReport
from .source import ByteSource
from .spool import ColumnSpool
from .table_times import TableTimes
from .tables import numbers, read_rows
from .time_guess import is_dated, told_guesses

_EVEN = 0.02
"""Samples whose times differ less from an even spacing, in parts of it, count as evenly spaced."""


class SampleCsv:
    """Reader of tables of samples."""

    name = "sample table"
    suffixes = (".csv", ".txt", ".tsv")

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether this is a table with a time and numbers, at a rate no slow instrument has."""
        text = head.decode("utf-8", "replace")
        columns = guess_columns(text)
        if columns is None or not columns.of_role("channel") or _may_be_bytes(text, columns):
            return False
        if not columns.of_role("time") and columns.of_role("ignore"):
            # a log whose words hold a number here and there; samples without times are nothing but numbers
            return False
        rate = sample_rate(head, columns)
        return rate is None or rate >= 100

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Read all channels.

        Raises
        ------
        CaptureReadError
            If the table has no channel, or neither a time column nor a rate.
        """
        with ByteSource(path) as source:
            head = source.head(1 << 16)
        is_chosen = columns is not None
        columns = columns or guess_columns(head.decode("utf-8", "replace"))
        if columns is None or not columns.of_role("channel"):
            raise CaptureReadError("no column of samples is chosen.", where=str(path), hint="Choose columns on Intake.")
        if not columns.of_role("time") and not columns.rate_hz:
            raise CaptureReadError(
                "there is no time column and no sample rate.", where=str(path), hint="Choose one of them on Intake."
            )
        report.facts += told_guesses(columns, is_chosen=is_chosen)
        return _read(path, folder, columns, report, progress)


LINES = SampleCsv()


def _may_be_bytes(text: str, columns: Columns) -> bool:
    """Whether a table is too short to tell, or its cells are pairs of digits after a time, as bytes in hex are."""
    rows = [split_line(line, columns.separator) for line in text.splitlines() if line.strip()][columns.head_lines :]
    if len(rows) < 4:
        return True
    return columns.separator == " " and all(len(cell) == 2 or cell in ("<", ">") for row in rows for cell in row[1:])


def sample_rate(head: bytes, columns: Columns) -> float | None:
    """Return rows a second by the first rows, None if there is no time column."""
    if not columns.of_role("time"):
        return columns.rate_hz
    place = columns.of_role("time")[0]
    lines = head.decode("utf-8", "replace").splitlines()[columns.head_lines :][:200]
    rows = [split_line(line, columns.separator) for line in lines]
    cells = pa.array([row[place] for row in rows if place < len(row)], pa.string())
    stamps, good = TableTimes(columns, ReadReport("")).of(cells, np.zeros(len(cells), np.int64))
    times = stamps[good]
    steps = np.diff(times[:-1] if len(times) > 2 else times)
    steps = steps[steps > 0]
    return 1e9 / float(np.median(steps)) if len(steps) else None


def _read(path: Path, folder: Path, columns: Columns, report: ReadReport, progress: Progress) -> LineRecording:
    chosen = columns.of_role("channel")
    time_column = next(iter(columns.of_role("time")), None)
    with ColumnSpool(folder) as spool:
        rows = 0
        stamped_by = TableTimes(columns, report)
        for lines, batch in read_rows(path, columns, report, progress):
            if time_column is not None:
                times, good = stamped_by.of(batch.column(time_column), lines)
                spool.append("time", times[good])
            else:
                good = np.ones(len(batch), np.bool_)
            for number in chosen:
                values = numbers(batch.column(number), columns, lines, columns.names[number], report)
                spool.append(f"{number}", values[good].astype(np.float32))
            rows += int(good.sum())
        if rows < 2:
            raise CaptureReadError("fewer than two samples can be read.", where=str(path), hint="Look at the columns.")
        stamped = spool.column("time", np.int64) if time_column is not None else None
        zero, begin, stamps, rate = _timebase(stamped, columns, report)
        channels = []
        for number in chosen:
            column = spool.column(f"{number}", np.float32)
            channels.append(_channel(columns.names[number], column, rate, begin, stamps))
    return LineRecording("sample table", tuple(channels), zero, facts=(("sample rate", f"{rate:.6g} Hz"),))


def _timebase(
    times: NDArray[np.int64] | None, columns: Columns, report: ReadReport
) -> tuple[int | None, int, NDArray[np.int64] | None, float]:
    """Return date of the zero, first time, stamps unless evenly spaced, rate."""
    if times is None:
        return None, 0, None, float(columns.rate_hz or 1.0)
    first = int(times[0])
    zero = first if is_dated(first / 1e9) else None
    begin = 0 if zero is not None else first
    steps = np.diff(times)
    if (steps < 0).any():
        report.add_problem(
            f"row {int(np.argmax(steps < 0)) + 2}", "time goes back; from there on samples are in file order"
        )
    span = int(times[-1]) - first
    rate = (len(times) - 1) * 1e9 / max(span, 1)
    usual = span / (len(times) - 1)
    # a time column written with few digits still means an even spacing
    ideal = first + np.arange(len(times)) * usual
    digits = max(float(np.min(steps[steps > 0], initial=usual)), 1.0)
    even = np.abs(times - ideal).max() <= max(_EVEN * usual, 1.5, 0.51 * digits if digits < usual else 0)
    stamps = None if even else np.maximum.accumulate(np.asarray(times)) - first + begin
    return zero, begin, stamps, rate


def _channel(
    name: str, values: NDArray[np.float32], rate: float, begin: int, stamps: NDArray[np.int64] | None
) -> Channel:
    """Make an analog channel, or a digital one if there are only noughts and ones."""
    samples = Samples(values, rate, begin_ns=begin, stamps_ns=stamps)
    if not np.isin(values[:4096], (0, 1)).all() or not all(np.isin(part, (0, 1)).all() for _, part in samples.chunks()):
        return Channel(name, samples)
    places = [begin_at + np.flatnonzero(np.diff(part)) + 1 for begin_at, part in samples.chunks()]
    joints = np.arange(0, len(values), 1 << 20)[1:]
    across = joints[values[joints] != values[joints - 1]] if len(joints) else np.empty(0, np.int64)
    indexes = np.sort(np.concatenate([*places, across])).astype(np.int64)
    if stamps is not None:
        times = stamps[indexes]
    else:
        times = np.rint(indexes * (1e9 / rate)).astype(np.int64) + begin
    return Channel(name, edges=Edges.of_toggles(times, int(values[0]), begin, samples.end_ns))
