"""Times of tables that are written out: dates and times of day, against Python's own."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.captures.column_guess import guess_columns
from zesty_abacus.core.captures.columns import CLOCK, DATE, MONTH_FIRST, Columns
from zesty_abacus.core.captures.reference import read_reference
from zesty_abacus.core.captures.registry import read_lines, read_recording
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.captures.table_times import TableTimes
from zesty_abacus.core.frames.table import FrameTable

S = 1_000_000_000
H = 3600 * S


def read(unit, *batches, decimal="."):
    """Return the times of batches of words, None where one is none, and what is told of those."""
    report = ReadReport("t")
    times = TableTimes(Columns(time_unit=unit, decimal=decimal, separator=";"), report)
    found = []
    for number, words in enumerate(batches):
        stamps, good = times.of(pa.array(words, pa.string()), 1 + 100 * number + np.arange(len(words)))
        found += [stamp if fine else None for stamp, fine in zip(stamps.tolist(), good.tolist(), strict=True)]
    return found, [(one.place, one.reason) for one in report.problems]


@given(
    st.datetimes(datetime(1700, 1, 1), datetime(2250, 1, 1)), st.integers(-14 * 60, 14 * 60), st.integers(0, 999),
    st.sampled_from("T "), st.sampled_from(["", "colon", "plain"]),
)  # fmt: skip
def test_dates_are_what_they_are_elsewhere(moment, minutes, nanoseconds, between, zone):
    """ISO 8601; without a zone it is UTC."""
    sign, away = "-" if minutes < 0 else "+", abs(minutes)
    text = moment.strftime(f"%Y-%m-%d{between}%H:%M:%S.%f").rjust(26, "0") + f"{nanoseconds:03}"
    colon = ":" if zone == "colon" else ""
    text += f"{sign}{away // 60:02}{colon}{away % 60:02}" if zone else ""
    aware = moment.replace(tzinfo=timezone(timedelta(minutes=minutes)) if zone else UTC)
    since = aware - datetime(1970, 1, 1, tzinfo=UTC)
    wanted = (since.days * 86_400 + since.seconds) * S + since.microseconds * 1000 + nanoseconds
    assert read(DATE, [text]) == ([wanted], [])


@pytest.mark.parametrize(
    ("text", "nanoseconds"),
    [
        ("1970-01-01T00:00:00Z", 0), ("1970-01-01 00:00:01,5", 1_500_000_000), ("1970-01-01T00:01Z", 60 * S),
        ("1970-01-02T00:00:00.000000001Z", 86_400 * S + 1), ("1970-01-01T01:00:00+01:00", 0),
        ("1969-12-31T23:59:59Z", -S), ("1970-01-01T00:00:00.Z", 0), ("1970-01-01T23:59:60Z", 86_400 * S),
        ("2026-05-12T08:00:00Z", 1_778_572_800 * S), ("12.05.2026 08:00:00", 1_778_572_800 * S),
        ("12.5.2026 8:00", 1_778_572_800 * S), ("2026/05/12 08:00:00.5", 1_778_572_800 * S + S // 2),
        ("01.02.1970 00:00:00", 31 * 86_400 * S), ("12/5/2026 08:00:00", 1_778_572_800 * S),
        ("2026-05-12 8:00:00 AM", 1_778_572_800 * S), ("2026-05-12 12:30 am", 1_778_545_800 * S),
        ("2026-05-12 12:30:00.5PM", 1_778_589_000 * S + S // 2), ("2026-05-12 11:59:59 pm", 1_778_630_399 * S),
    ],
)  # fmt: skip
def test_known_dates(text, nanoseconds):
    assert read(DATE, [text]) == ([nanoseconds], [])


@pytest.mark.parametrize(
    "text", ["2026-02-30 00:00:00", "2026-13-01 00:00:00", "2026-05-12 24:00:00", "2026-05-12 00:60:00", "12:00:00", "",
             "2026-05-12", "2026-05-12 00:00:61", "9999-05-12 00:00:00", "soon", "05/13/2026 08:00:00",
             "2026-05-12 13:00 PM", "2026-05-12 0:30 am", "5/12/26 08:00:00",
             "31.04.2026 08:00:00", "2026.05.12 08:00:00", "12-05-2026 08:00:00"],
)  # fmt: skip
def test_what_is_no_date_is_told_with_its_line(text):
    found, told = read(DATE, ["1970-01-01 00:00:00", text, "1970-01-01 00:00:02"])
    assert found == [0, None, 2 * S] and told == [("line 2, column time", f"{text!r} is no time")]


@pytest.mark.parametrize(
    ("days", "form", "first"),
    [
        # one date is enough to say which is which; where none does, the month comes first, and that is told
        (["05/12/2026", "05/13/2026"], MONTH_FIRST, "2026-05-12"), (["12/05/2026", "13/05/2026"], DATE, "2026-05-12"),
        (["5/12/2026", "5/12/2026"], MONTH_FIRST, "2026-05-12"),
        (["12/12/2026", "1/1/2027"], MONTH_FIRST, "2026-12-12"),
        (["12.05.2026", "12.05.2026"], DATE, "2026-05-12"), (["2026/05/12", "2026/05/13"], DATE, "2026-05-12"),
    ],
)  # fmt: skip
def test_which_of_day_and_month_comes_first_is_asked_of_all_dates(tmp_path, days, form, first):
    rows = [f"{days[n // 20]} 08:00:{n:02} AM,1A0,{payload(n)}" for n in range(40)]
    (tmp_path / "a.csv").write_text("Time,ID,Data\n" + "\n".join(rows) + "\n")
    tables = []
    report = read_recording(tmp_path / "a.csv", lambda table, _lanes: tables.append(table))
    (table,) = tables
    zero = int(datetime.fromisoformat(f"{first}T08:00:00+00:00").timestamp()) * S
    assert int(table.time_ns[0]) == zero and len(table) == 40 and report.problem_count == 0
    assert report.facts == ([("dates", "the month stands before the day")] if form == MONTH_FIRST else [])


@pytest.mark.parametrize("apart", ["second", "microsecond"])
def test_of_measurements_and_samples_it_is_told_as_well(tmp_path, apart):
    digits = "{n:02}" if apart == "second" else "00.{n:06}"
    rows = "".join(f"05/12/2026 08:00:{digits.format(n=n)},{n % 7}.5\n" for n in range(50))
    (tmp_path / "a.csv").write_text("time,volt\n" + rows)
    if apart == "second":
        report = read_reference(tmp_path / "a.csv").report
    else:
        _, report = read_lines(tmp_path / "a.csv", tmp_path)
    assert report.facts == [("dates", "the month stands before the day")]
    chosen = guess_columns("time,volt\n" + rows)
    if apart == "second":
        report = read_reference(tmp_path / "a.csv", chosen).report
    else:
        _, report = read_lines(tmp_path / "a.csv", tmp_path, columns=chosen)
    assert report.facts == []


def test_a_log_of_text_may_have_the_month_first_too(tmp_path):
    (tmp_path / "a.txt").write_text("".join(f"05/{13 + n // 20}/2026 8:{n:02}:00 PM pump {n}\n" for n in range(40)))
    tables = []
    report = read_recording(tmp_path / "a.txt", lambda table, _lanes: tables.append(table))
    zero = int(datetime(2026, 5, 13, 20, tzinfo=UTC).timestamp()) * S
    assert [int(tables[0].time_ns[n]) for n in (0, 39)] == [zero, zero + (86_400 + 39 * 60) * S]
    assert tables[0].payload_of(7) == b"pump 7\r\n" and report.problem_count == 0


@pytest.mark.parametrize(
    ("name", "first", "step", "unit", "told"),
    [
        # dates by their size, at the limits of 63 bits
        ("time", 1_778_565_600, 1, "s", False), ("time", 1_778_565_600_000, 100, "ms", True),
        ("time", 1_778_565_600_000_000, 100_000, "µs", True), ("time", 1_778_565_600_000_000_000, 10**8, "ns", True),
        ("time", 9_200_000_000, 100, "ms", True), ("time", 9_199_000_000, 10, "s", False),
        ("time", 9_200_000_000_000, 100, "µs", True), ("time", 9_199_000_000_000, 100, "ms", True),
        ("time", 9_200_000_000_000_000, 100, "ns", True), ("time", 9_199_000_000_000_000, 100, "µs", True),
        # whole numbers by how far frames lie apart
        ("time", 0, 1, "s", False), ("time", 0, 20, "s", False), ("time", 0, 21, "ms", True),
        ("time", 0, 20_000, "ms", True), ("time", 0, 20_001, "µs", True), ("time", 0, 20_000_001, "ns", True),
        # a name that says it is right
        ("time_ms", 0, 1, "ms", False), ("time [s]", 0, 1000, "s", False), ("Time (us)", 0, 1, "µs", False),
        ("t ns", 1_778_565_600, 1, "ns", False), ("time in seconds", 0, 100, "s", False),
    ],
)  # fmt: skip
def test_a_unit_that_nobody_names_is_found_and_told(tmp_path, name, first, step, unit, told):
    text = f"{name},id,data\n" + "".join(f"{first + n * step},1A0,{payload(n)}\n" for n in range(30))
    (tmp_path / "a.csv").write_text(text)
    assert guess_columns(text).time_unit == unit
    report = read_recording(tmp_path / "a.csv", lambda _table, _lanes: None)
    assert report.problem_count == 0
    assert report.facts == ([("times", f"their unit is not named: taken for {unit}")] if told else [])


def test_of_columns_that_somebody_chose_nothing_is_told(tmp_path):
    text = "time,id,data\n" + "".join(f"{n * 1000},1A0,{payload(n)}\n" for n in range(30))
    (tmp_path / "a.csv").write_text(text)
    columns = guess_columns(text)
    report = read_recording(tmp_path / "a.csv", lambda _table, _lanes: None, columns=columns)
    assert columns.time_unit == "ms" and report.facts == []


def test_a_fraction_is_of_a_second_and_an_instrument_may_be_slow():
    rows = "".join(f"{n * 100}.5,1A0,{payload(n)}\n" for n in range(30))
    assert guess_columns("time,id,data\n" + rows).time_unit == "s"
    assert guess_columns("time,depth\n" + "".join(f"{n * 100},{n}\n" for n in range(30))).time_unit == "s"


def test_times_of_day_go_on_with_the_next_day_at_midnight():
    words = ["23:59:59.5", "23:59:58", "0:00:01", "12:00:00"], ["23:59:59", "00:00:00,25"], ["x", "11:00:00"]
    found, told = read(CLOCK, *words)
    days = [24 * H * day for day in (0, 0, 1, 1, 1, 2)]
    own = [24 * H - S // 2, 24 * H - 2 * S, S, 12 * H, 24 * H - S, S // 4]
    assert found[:6] == [day + time for day, time in zip(days, own, strict=True)]
    assert found[6:] == [None, 48 * H + 11 * H] and told == [("line 201, column time", "'x' is no time")]


def payload(number):
    return " ".join(f"{(number * 7 + at) % 256:02X}" for at in range(8))


@pytest.mark.parametrize(
    ("head", "row", "unit", "first_ns"),
    [
        ("time,id,data", "2026-05-12 08:00:{n:02}.250,1A0,{p}", DATE, 1_778_572_800 * S + S // 4),
        ("timestamp;id;data", "2026-05-12T08:00:{n:02}Z;1A0;{p}", DATE, 1_778_572_800 * S),
        ("time,id,data", "08:00:{n:02}.250,1A0,{p}", CLOCK, 8 * H + S // 4),
        ("Zeit;ID;Daten", "{n},5;1A0;{p}", "s", S // 2),
        ("", "0.{n:03},0x1A0,{p}", "s", 0),
        ("", "0.{n:03};1A0;8;{p}", "s", 0),
        ("", "2026-05-12 08:00:{n:02},000001A0,{p}", DATE, 1_778_572_800 * S),
        ("time,id,data", "{n}.5,1A0h,{p}", "s", S // 2),
        (",time,id,data", "{n},{n}.5,1A0,{p}", "s", S // 2),
    ],
)
def test_tables_of_frames_as_people_have_them(tmp_path, head, row, unit, first_ns):
    rows = [row.format(n=n, p=payload(n)) for n in range(30)]
    text = "\n".join(([head] if head else []) + rows) + "\n"
    assert guess_columns(text).time_unit == unit
    (tmp_path / "a.csv").write_text(text)
    tables = []
    report = read_recording(tmp_path / "a.csv", lambda table, _lanes: tables.append(table))
    (table,) = tables
    assert (report.format_name, report.problem_count, len(table)) == ("frame table", 0, 30)
    assert set(table.address.tolist()) == {0x1A0} and int(table.time_ns[0]) == first_ns
    assert [table.payload_of(n) for n in range(30)] == [bytes.fromhex(payload(n)) for n in range(30)]


def test_a_reference_may_have_dates(tmp_path):
    rows = "".join(f"2026-05-12T08:00:{n:02}.5+02:00;{n * 1.5}\n".replace(".", ",") for n in range(30))
    (tmp_path / "a.csv").write_text("time;speed kn\n" + rows)
    found = read_reference(tmp_path / "a.csv")
    assert found.time_ns[:2].tolist() == [1_778_565_600 * S + S // 2, 1_778_565_601 * S + S // 2]
    assert found.values["speed kn"][:3].tolist() == [0, 1.5, 3.0]


@pytest.mark.parametrize("cell", ["12-05-26", "08:30", "12 05", "08:30:15"])
def test_pairs_of_digits_may_be_dates_and_are_then_no_payload(cell):
    columns = guess_columns("nr;when;volt\n" + "".join(f"{n};{cell};{n * 1.5}\n" for n in range(30)))
    assert "payload" not in columns.roles and columns.roles[2] == "channel"


@pytest.mark.parametrize("separator", [";", ",", "\t", "|", " "])
@pytest.mark.parametrize("day", ["%d.%m.%Y", "%Y-%m-%d"])
def test_a_date_and_a_time_in_columns_of_their_own_are_one_time(tmp_path, separator, day):
    begin = datetime(2026, 11, 30, 23, 59, 0, tzinfo=UTC)
    rows = [["Date", "Time", "Bus", "ID", "Data"]]
    for n in range(40_000):
        now = begin + timedelta(milliseconds=10 * n)
        rows.append([now.strftime(day), now.strftime("%H:%M:%S.%f"), "deck", f"{0x1A0 + n % 2:X}", f"{n:06X}"])
    path = tmp_path / "log.txt"
    path.write_text("".join(separator.join(row) + "\n" for row in rows))
    found = []
    report = read_recording(path, lambda table, _lanes: found.append(table))
    table = FrameTable.joined(found)
    assert report.format_name == "frame table" and report.problem_count == 0
    assert table.time_ns.tolist() == [int(begin.timestamp()) * S + n * 10_000_000 for n in range(40_000)]
    assert table.payload_of(12_345) == bytes.fromhex("003039") and report.lanes == ["deck"]
    columns = guess_columns(path.read_text()[:4000])
    assert columns.names == ("Date Time", "Bus", "ID", "Data")
