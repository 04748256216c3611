"""Guesses from the cells of a column whether they are times, and what in."""

from __future__ import annotations

import itertools
import re
import statistics

from .columns import CLOCK, DATE, MONTH_FIRST, MONTH_FIRST_TOLD, WRITTEN_OUT, Columns, date_form

_BEYOND = {"ns": 9.2e15, "µs": 9.2e12, "ms": 9.2e9}
"""Times above these have no place in the next larger unit: 63 bits of nanoseconds end in 2262."""
_APART = {"s": 20.0, "ms": 20e3, "µs": 20e6, "ns": 20e9}
"""How far frames may lie apart for a time to be taken in a unit."""
_LEAST_TIMES = 3
_DATED_S = 3e8
"""Seconds above this, about ten years, are a date and no time since the recording began."""
NUMBER = r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?"


def written_out(cell: str) -> str:
    """Return how a time is written out in a cell; empty if it is none."""
    found = next((form for form, look in WRITTEN_OUT.items() if re.fullmatch(look, cell)), "")
    # ``08:30`` by itself may be minutes and seconds, or two bytes
    return "" if found == CLOCK and cell.count(":") < 2 else found


def times_written_out(cells: list[str]) -> str:
    """Return how the times of a column are written out; empty if they are none."""
    forms = [written_out(cell) for cell in cells if cell]
    form = next((form for form in WRITTEN_OUT if most([one == form for one in forms], some=True)), "")
    return date_form(cells) if form == DATE else form


def time_unit(names: tuple[str, ...], roles: tuple[str, ...], cells: list[list[str]]) -> str:
    """Return what the times of a table are in: as they are written out, as their name says, or by their size."""
    if "time" not in roles:
        return "s"
    if cells and (form := times_written_out(cells[roles.index("time")])):
        return form
    named = named_unit(names[roles.index("time")])
    return named or _unit_by_size(
        cells[roles.index("time")] if cells else [], in_frames=bool({"payload", "byte"} & set(roles))
    )


def named_unit(name: str) -> str:
    """Return the unit that the name of a column says, empty if it says none."""
    match = re.search(r"(?<![a-z])(ms|us|µs|ns|s|sec|seconds)(?![a-z])", name.lower().replace("_", " "))
    return {"us": "µs", "sec": "s", "seconds": "s"}.get(match.group(1), match.group(1)) if match else ""


def _unit_by_size(cells: list[str], *, in_frames: bool) -> str:
    """Return the unit of times that nobody named: by how large a date is in it, or by how far frames lie apart.

    Whole numbers that are no dates and lie further apart than frames do in seconds are of a smaller unit.
    """
    times = [float(cell) for cell in cells if re.fullmatch(r"\d+(\.\d*)?", cell)]
    needed = next((unit for unit, least in _BEYOND.items() if times and min(times) >= least), "")
    if needed or len(times) < _LEAST_TIMES or not in_frames or any("." in cell for cell in cells):
        return needed or "s"
    apart = statistics.median(after - before for before, after in itertools.pairwise(times))
    return next((unit for unit, most in _APART.items() if apart <= most), "s")


def numeric(cells: list[str], decimal: str) -> bool:
    """Return whether nearly all cells are numbers."""
    good = [cell for cell in cells if cell]
    return most([bool(re.fullmatch(NUMBER, cell)) and (decimal == "," or "," not in cell) for cell in good], some=True)


def most(fits: list[bool], *, some: bool = False) -> bool:
    """Whether nearly all fit: a broken row does not make a table something else."""
    return sum(fits) >= 0.9 * len(fits) and (bool(fits) or not some)


def rising(cells: list[str], decimal: str) -> bool:
    """Return whether cells are numbers of which each is larger than the one before."""
    if not numeric(cells, decimal):
        return False
    values = [float(cell.replace(decimal, ".")) for cell in cells if re.fullmatch(NUMBER, cell)]
    return len(values) > 2 and all(a < b for a, b in itertools.pairwise(values))


def told_guesses(columns: Columns, *, is_chosen: bool = False) -> list[tuple[str, str]]:
    """Return what was taken for granted of the times of a table, a name and words each.

    Parameters
    ----------
    is_chosen
        Whether somebody chose the columns, and with them how times are read.
    """
    if not columns.of_role("time"):
        told = ("times", "none in the table: its rows lie a nanosecond apart until a rate is chosen")
        return [] if columns.rate_hz else [told]
    if is_chosen:
        return []
    if columns.time_unit == MONTH_FIRST:
        return [MONTH_FIRST_TOLD]
    is_named = columns.time_unit not in _BEYOND or named_unit(columns.names[columns.of_role("time")[0]])
    return [] if is_named else [("times", f"their unit is not named: taken for {columns.time_unit}")]


def is_dated(seconds: float) -> bool:
    """Return whether a time in seconds is a date."""
    return seconds > _DATED_S
