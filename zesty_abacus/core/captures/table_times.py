"""The column of times of a text table: lengths since a beginning, dates, or the time of day."""

from __future__ import annotations

import re
from contextlib import suppress
from functools import partial

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from .columns import DATES, MONTH_FIRST, WRITTEN_OUT, Columns
from .report import ReadReport
from .tables import number_in

_LATEST_NS = 9_220_000_000_000_000_000
_DAY_NS = 86_400_000_000_000
_MOST = {"hour": 23, "minute": 59, "second": 60}

_YEAR_LAST = re.compile(r"(\d\d?)[./](\d\d?)[./](\d{4})")

Times = tuple[NDArray[np.int64], NDArray[np.bool_]]
"""Nanoseconds, and which of them are good."""


class TableTimes:
    """Reads the times of one table, batch by batch.

    Parameters
    ----------
    columns
        How the table is read.
    report
        Where cells that are no times are listed.
    """

    def __init__(self, columns: Columns, report: ReadReport) -> None:
        self._columns = columns
        self._report = report
        self._days = 0
        self._last_ns = 0

    def of(self, cells: pa.Array, lines: NDArray[np.int64]) -> Times:
        """Return cells as nanoseconds and which of them are good; exact beyond the digits of a float.

        Parameters
        ----------
        lines : int64 (n,)
            Where each cell stands.
        """
        words = pc.utf8_trim_whitespace(cells)
        if self._columns.time_unit in WRITTEN_OUT:
            return self._written_out(words, lines)
        return self._lengths(words, lines)

    def _lengths(self, words: pa.Array, lines: NDArray[np.int64]) -> Times:
        """Read whole seconds and their fraction apart, since a date in nanoseconds has more digits than a float."""
        if self._columns.decimal == ",":
            words = pc.replace_substring(words, ",", ".")
        scale = {"s": 9, "ms": 6, "µs": 3, "ns": 0}[self._columns.time_unit]
        # a date in nanoseconds has nineteen digits
        plain = pc.match_substring_regex(words, r"^\d{1,19}(\.\d*)?$").to_numpy(zero_copy_only=False)
        times, good = np.zeros(len(words), np.int64), np.zeros(len(words), np.bool_)
        times[plain], good[plain] = _exactly(words.filter(pa.array(plain)), scale)
        # what is written in another way is read like any number; what lies too far off is told there
        other = np.flatnonzero(~good)
        if len(other):
            listed = words.take(pa.array(other)).to_pylist()
            values = np.array([number_in(word, int(lines[row]), "time", self._report)
                               for word, row in zip(listed, other.tolist(), strict=True)], np.float64)  # fmt: skip
            values *= 10.0**scale
            fits = np.isfinite(values) & (np.abs(values) < _LATEST_NS)
            for row in other[~np.isnan(values) & ~fits]:
                self._report.add_problem(f"line {lines[row]}, column time", "the time is out of range")
            times[other], good[other] = np.where(fits, values, 0).round().astype(np.int64), fits
        return times, good

    def _written_out(self, words: pa.Array, lines: NDArray[np.int64]) -> Times:
        """Read dates, of UTC where they name no zone, or times of day, which go on with the next day at midnight."""
        parts = pc.extract_regex(words, f"^{WRITTEN_OUT[self._columns.time_unit]}$")
        good = parts.is_valid().to_numpy(zero_copy_only=False).copy()
        seconds = np.zeros(len(words), np.int64)
        for name, most in _MOST.items():
            values = _whole(parts, name)
            if name == "hour":
                values, fits = _of_a_day(values, parts)
                good &= fits
            seconds = seconds * 60 + values
            good &= values <= most
        fraction = pc.utf8_slice_codeunits(pc.utf8_rpad(_text(parts, "part"), 9, "0"), 0, 9)
        times = seconds * 1_000_000_000 + pc.cast(fraction, pa.int64()).to_numpy(zero_copy_only=False)
        if self._columns.time_unit in DATES:
            days, known = _each(parts, "day", partial(_days_of, month_first=self._columns.time_unit == MONTH_FIRST))
            zones, _ = _each(parts, "zone", _zone_ns)
            good &= known & (np.abs(days) < _LATEST_NS // _DAY_NS)
            times = times + np.where(good, days, 0) * _DAY_NS - zones
        else:
            times = self._over_midnight(times, good)
        for row in np.flatnonzero(~good):
            self._report.add_problem(f"line {lines[row]}, column time", f"{words[int(row)].as_py()[:40]!r} is no time")
        return times, good

    def _over_midnight(self, times: NDArray[np.int64], good: NDArray[np.bool_]) -> NDArray[np.int64]:
        """Return times of day since the first midnight: one that is half a day earlier is of the next day."""
        known = times[good]
        if len(known):
            steps = np.diff(known, prepend=self._last_ns if self._days or self._last_ns else known[0])
            days = self._days + np.cumsum(steps < -_DAY_NS // 2)
            self._last_ns, self._days = int(known[-1]), int(days[-1])
            times = times.copy()
            times[good] = known + days * _DAY_NS
        return times


def _text(parts: pa.StructArray, name: str) -> pa.Array:
    return pc.fill_null(pc.struct_field(parts, name), "")


def _whole(parts: pa.StructArray, name: str) -> NDArray[np.int64]:
    text = pc.utf8_lpad(_text(parts, name), 1, "0")
    return pc.cast(text, pa.int64()).to_numpy(zero_copy_only=False)


def _each(parts: pa.StructArray, name: str, read) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:  # type: ignore[no-untyped-def]
    """Read each distinct word once: days and zones are few."""
    coded = pc.dictionary_encode(_text(parts, name))
    values = [read(word) for word in coded.dictionary.to_pylist()]
    places = coded.indices.to_numpy(zero_copy_only=False)
    known = np.array([value is not None for value in values], np.bool_)
    return np.array([value or 0 for value in values], np.int64)[places], known[places]


def _of_a_day(hours: NDArray[np.int64], parts: pa.StructArray) -> Times:
    """Return hours of a day, of those of half a day where ``am`` or ``pm`` stands behind, and which can be."""
    half = pc.utf8_lower(_text(parts, "half"))
    after, before = (pc.equal(half, word).to_numpy(zero_copy_only=False) for word in ("pm", "am"))
    is_half = after | before
    return np.where(is_half, hours % 12 + 12 * after, hours), ~is_half | ((hours >= 1) & (hours <= 12))


def _days_of(word: str, *, month_first: bool) -> int | None:
    year_last = _YEAR_LAST.fullmatch(word)
    if year_last is not None:
        day, month, year = year_last.groups()
        if month_first and "/" in word:
            day, month = month, day
        word = f"{year}-{month:0>2}-{day:0>2}"
    with suppress(ValueError):
        return int(np.datetime64(word.replace("/", "-"), "D").astype(np.int64)) if word else None
    return None


def _zone_ns(word: str) -> int:
    found = re.fullmatch(r"([+-])(\d\d):?(\d\d)", word)
    if found is None:
        return 0
    minutes = int(found[2]) * 60 + int(found[3])
    return (-minutes if found[1] == "-" else minutes) * 60_000_000_000


def _exactly(words: pa.Array, scale: int) -> Times:
    """Return digits with or without a fraction as nanoseconds, and which of them lie in range."""
    parts = pc.extract_regex(words, r"^(?P<whole>\d+)(?:\.(?P<part>\d*))?$")
    whole = pc.cast(pc.struct_field(parts, "whole"), pa.uint64()).to_numpy(zero_copy_only=False)
    good = whole < np.uint64(_LATEST_NS // 10**scale)
    fraction = np.zeros(len(whole), np.int64)
    if scale:
        part = pc.utf8_rpad(pc.fill_null(pc.struct_field(parts, "part"), ""), 18, "0")
        fraction = pc.cast(pc.utf8_slice_codeunits(part, 0, scale), pa.int64()).to_numpy(zero_copy_only=False)
    return np.where(good, whole, 0).astype(np.int64) * 10**scale + fraction, good
