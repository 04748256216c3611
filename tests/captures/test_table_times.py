"""Times in tables, to the last nanosecond."""

from __future__ import annotations

from fractions import Fraction

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.captures.columns import Columns
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.captures.tables import times_ns

UNITS = {"s": 9, "ms": 6, "µs": 3, "ns": 0}


def read(words, unit):
    report = ReadReport("table")
    times, good = times_ns(pa.array(words), Columns(time_unit=unit), 2, report)
    return times.tolist(), good.tolist(), [(one.place, one.reason) for one in report.problems]


def test_a_date_in_nanoseconds_keeps_all_its_digits():
    """Nineteen of them, which no float holds."""
    assert read(["1778572801004379001", "1778572801004379003"], "ns")[0] == [1778572801004379001, 1778572801004379003]


def test_one_broken_row_costs_itself_and_rounds_no_other():
    words = ["1778572801004379001", "soon", "1778572801004379003", "1e3", "-5", "99999999999999999999", "9" * 19]
    times, good, problems = read(words, "ns")
    assert times == [1778572801004379001, 0, 1778572801004379003, 1000, -5, 0, 0]
    assert good == [True, False, True, True, True, False, False]
    assert problems == [
        ("line 3, column time", "'soon' is no number"), ("line 7, column time", "the time is out of range"),
        ("line 8, column time", "the time is out of range"),
    ]  # fmt: skip


@given(st.sampled_from(sorted(UNITS)), st.integers(0, 4_000_000_000_000_000_000))
def test_every_time_is_read_as_it_is_written(unit, time):
    whole, part = divmod(time, 10 ** UNITS[unit])
    word = f"{whole}.{part:0{UNITS[unit]}d}" if UNITS[unit] else str(whole)
    assert read([word], unit)[:2] == ([time], [True])
    assert Fraction(word) * 10 ** UNITS[unit] == time


@pytest.mark.parametrize(("word", "wanted"), [("0.0000000019", 1), ("12", 12 * 10**9), ("12.", 12 * 10**9)])
def test_digits_beyond_nanoseconds_are_cut(word, wanted):
    assert read([word], "s")[0] == [wanted]
