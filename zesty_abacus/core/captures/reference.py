"""Reference measurements: a table of times and values of an instrument, slow and in real units."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..progress import Progress
from .column_guess import guess_columns
from .columns import Columns
from .report import CaptureReadError, ReadReport
from .sample_csv import sample_rate
from .source import ByteSource
from .table_times import TableTimes
from .tables import numbers, read_rows
from .time_guess import told_guesses

_MOST_ROWS = 20_000_000


@dataclass(frozen=True, slots=True, eq=False)
class Reference:
    """Values of an instrument over time.

    Attributes
    ----------
    path
    time_ns : int64 (n,)
        In order of time.
    values
        A float64 (n,) column by name, NaN where a cell was empty or no number.
    report
    """

    path: Path
    time_ns: NDArray[np.int64]
    values: dict[str, NDArray[np.float64]]
    report: ReadReport


def looks_like_reference(head: bytes) -> bool:
    """Return whether this is a table with a time and numbers, slow as instruments are."""
    columns = guess_columns(head.decode("utf-8", "replace"))
    if columns is None or not columns.of_role("time") or not columns.of_role("channel"):
        return False
    rate = sample_rate(head, columns)
    return rate is not None and rate < 100


def read_reference(path: Path, columns: Columns | None = None, progress: Progress | None = None) -> Reference:
    """Read a table of reference measurements.

    Raises
    ------
    CaptureReadError
        If there is no time column, no column of numbers, or no row.
    """
    with ByteSource(path) as source:
        head = source.head(1 << 16)
    is_chosen = columns is not None
    columns = columns or guess_columns(head.decode("utf-8", "replace"))
    if columns is None or not columns.of_role("time") or not columns.of_role("channel"):
        raise CaptureReadError(
            "there is no time column with numbers beside it.", where=str(path), hint="Choose columns."
        )
    report = ReadReport("reference table", facts=told_guesses(columns, is_chosen=is_chosen))
    time_place = columns.of_role("time")[0]
    times, parts = [], []
    rows = 0
    stamps = TableTimes(columns, report)
    for lines, batch in read_rows(path, columns, report, progress or Progress()):
        time, good = stamps.of(batch.column(time_place), lines)
        times.append(time[good])
        parts.append(
            [
                numbers(batch.column(n), columns, lines, columns.names[n], report)[good]
                for n in columns.of_role("channel")
            ]
        )
        rows += len(batch)
        if rows > _MOST_ROWS:
            raise CaptureReadError(f"more than {_MOST_ROWS} rows; this is no slow instrument.", where=str(path))
    if not times or not sum(map(len, times)):
        raise CaptureReadError("there is no row of values.", where=str(path))
    time = np.concatenate(times)
    order = np.argsort(time, kind="stable")
    values = {
        columns.names[n]: np.concatenate([part[place] for part in parts])[order]
        for place, n in enumerate(columns.of_role("channel"))
    }
    report.frames = len(time)
    return Reference(path, time[order], values, report)


def unit_of(name: str) -> str:
    """Return the unit that a column's name ends with: ``speed_kn`` or ``speed (kn)``."""
    match = re.search(r"[_ (\[]([^_ ()\[\]]{1,6})[)\]]?$", name)
    return match.group(1) if match else ""
