"""What instruments said in a trial: columns of tables, and readings that a person typed in."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np

from ..captures.reference import read_reference, unit_of
from ..captures.report import CaptureReadError
from ..progress import Progress
from ..values.reference import ReferenceColumn
from .content import HandReading
from .outcome import SourceOutcome
from .trial import Trial


def references_of(
    trial: Trial, outcomes: Iterable[SourceOutcome], progress: Progress | None = None
) -> tuple[list[ReferenceColumn], list[str]]:
    """Return all references of a trial on its clock, and what is wrong with those that cannot be read.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    files = [(trial.folder / name, 0) for name in trial.file.references]
    files += [(one.path, one.zero_ns) for one in outcomes if one.holds == "reference" and not one.error]
    found, wrong = [], []
    for number, (path, zero_ns) in enumerate(files):
        progress.step(number / len(files), f"reading {path.name}")
        try:
            found += list(file_columns(path, zero_ns, progress))
        except CaptureReadError as error:
            wrong.append(str(error))
    return found + hand_columns(trial.file.readings), wrong


def file_columns(path: Path, zero_ns: int = 0, progress: Progress | None = None) -> Iterator[ReferenceColumn]:
    """Yield the columns of a file of reference measurements, their times moved by ``zero_ns``.

    Raises
    ------
    CaptureReadError
        If it has no time or no numbers.
    """
    reference = read_reference(path, progress=progress)
    for name, values in reference.values.items():
        yield ReferenceColumn(path.name, name, unit_of(name), reference.time_ns + zero_ns, values)


def hand_columns(readings: Iterable[HandReading]) -> list[ReferenceColumn]:
    """Return readings that were typed in, a column a name, in order of time."""
    by_name: dict[tuple[str, str], list[HandReading]] = {}
    for reading in readings:
        by_name.setdefault((reading.name, reading.unit), []).append(reading)
    made = []
    for (name, unit), some in by_name.items():
        some.sort(key=lambda reading: reading.time_ns)
        times = np.array([reading.time_ns for reading in some], np.int64)
        made.append(ReferenceColumn("", name, unit, times, np.array([reading.value for reading in some], np.float64)))
    return made
