"""Moments that stand in a table of their own."""

from __future__ import annotations

import csv
from pathlib import Path

from ..errors import MisuseError
from ..files.reading import read_file
from .content import Moment

_MOST_MOMENTS = 16 << 20
"""Bytes of a file of moments."""


def moments_from_file(path: Path) -> list[Moment]:
    """Return the moments of a CSV with columns time_ns and text.

    Raises
    ------
    MisuseError
        If it has others, or a time is no whole number.
    """
    lines = read_file(path, _MOST_MOMENTS).decode("utf-8-sig", "replace").splitlines()
    rows = csv.DictReader(lines)
    if not {"time_ns", "text"} <= set(rows.fieldnames or ()):
        raise MisuseError("a file of moments has the columns time_ns and text.", where=str(path))
    found = []
    for number, row in enumerate(rows, 2):
        try:
            found.append(Moment(time_ns=int(row["time_ns"]), text=row["text"]))
        except (TypeError, ValueError):
            raise MisuseError("time_ns is whole nanoseconds.", where=f"{path}, line {number}") from None
    return found
