"""Rows that end in bytes with blanks between them, however many: written out here, and read as frames."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.program import run
from zesty_abacus.core.captures.column_guess import guess_columns
from zesty_abacus.core.captures.columns import Columns
from zesty_abacus.core.captures.registry import read_recording, recognise
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.recipes.json_form import published_schema

FRAMES = st.lists(
    st.tuples(
        st.integers(1, 10**6), st.sampled_from(["can0", "vcan1", "bow"]), st.sampled_from([0x1A0, 0x7FF, 0x100]) |
        st.integers(0x800, 0x1FFF_FFFF).map(lambda address: address | 1 << 40), st.binary(max_size=12),
        st.sampled_from([F.SENT, F.RECEIVED]),
    ),
    min_size=4, max_size=20,
)  # fmt: skip


BEGIN = datetime(2026, 5, 12, 23, 59, 59, tzinfo=UTC)


def identifier(address):
    return f"{address & 0x1FFF_FFFF:08X}" if address >> 40 else f"{address:03X}"


def spaced(payload):
    return payload.hex(" ").upper()


FORMS = {
    "as SocketCAN prints it": ("", " ({t})  {lane}  {id}   [{n}]  {data}", {"lane"}),
    "with a head": ("Time   ID  DLC  Data\n", "{t}  {id}h  {n}  {data}", set()),
    "dated": ("", "{d} {lane} {id} [{n}] {data}", {"lane", "date"}),
    "with directions": ("", "{t} {lane} {way} {id} {n:>2} {data}", {"lane", "way"}),
    "bare": ("", "{t}\t0x{id}\t{data}", set()),
}


def read(path):
    found = []

    def take(table, lanes):
        table.check()
        found.extend(
            (int(table.time_ns[row]), lanes[table.lane[row]], int(table.address[row]), int(table.flags[row]),
             table.payload_of(row)) for row in range(len(table))
        )  # fmt: skip

    return found, read_recording(path, take)


@pytest.mark.parametrize("form", FORMS)
@given(frames=FRAMES)
def test_what_was_printed_is_read(tmp_path_factory, form, frames):
    head, line, says = FORMS[form]
    # what tells bytes from numbers: a letter among them, or rows of several lengths
    frames = [*frames, (1, "can0", 0x1A1, b"\xab\xcd", F.SENT), (1, "can0", 0x1A0, b"\x10", F.SENT)]
    rows, expected, now = [], [], 0
    for step, lane, address, payload, way in frames:
        now += step * 1000
        rows.append(line.format(
            t=f"{now // 10**9}.{now % 10**9 // 1000:06}", lane=lane, id=identifier(address), n=len(payload),
            data=spaced(payload), way="Tx" if way == F.SENT else "Rx",
            d=(BEGIN + timedelta(microseconds=now // 1000)).strftime("%Y-%m-%d %H:%M:%S.%f"),
        ))  # fmt: skip
        flags = (F.EXTENDED if address >> 40 else 0) | (way if "way" in says else 0)
        zero = int(BEGIN.timestamp()) * 10**9 if "date" in says else 0
        expected.append((zero + now, lane if "lane" in says else "", address & 0x1FFF_FFFF, flags, payload))
    path = tmp_path_factory.mktemp("tail") / "log.txt"
    path.write_text(head + "\n".join(rows) + "\n")
    assert recognise(path) == "frame table"
    found, report = read(path)
    assert found == expected and report.problem_count == 0


@pytest.mark.parametrize(
    "text",
    [
        "0.1 12 34 56\n0.2 12 35 57\n0.3 12 36 58\n",  # numbers of two digits
        "0.1 41 4A 43\n0.2 41\n0.3 42 43\n",  # bytes that nobody is addressed in
        "0.1 say AB\n0.2 say CD EF\n0.3 no\n",
    ],
)
def test_what_has_no_address_or_may_be_numbers_is_none(text):
    columns = guess_columns(text)
    assert columns is None or not columns.tail


def test_what_is_broken_is_listed_and_a_short_identifier_may_be_written_long(tmp_path):
    path = tmp_path / "log.txt"
    lines = [f" ({n}.5)  can0  1A0   [2]  AB {n:02X}" for n in range(40)]
    lines[4] = " (4.5)  can0"
    lines[6] = " (6.5)  can0  1G0   [2]  AB 06"
    lines[8] = " (8.5)  can0  000001A0   [1]  0"
    lines[9] = " (9.5)  can0  000001A0   [1]  0A"
    path.write_text("\n".join(lines) + "\n")
    found, report = read(path)
    assert [frame[0] // 10**9 for frame in found] == [n for n in range(40) if n not in (4, 6, 8)]
    assert (found[6][2], found[6][3], found[5][3]) == (0x1A0, F.EXTENDED, 0)
    assert sorted((one.place, one.reason) for one in report.problems) == [
        ("line 5", "2 columns, not 5"),
        ("line 7, column column 3", "'1G0' is no number"),
        ("line 9, column payload", "'0' is no bytes in hex"),
    ]


def test_a_table_without_times_says_so(tmp_path):
    path = tmp_path / "log.txt"
    path.write_text("  can0  1A0   [2]  AB 01\n  can0  1A1   [1]  CD\n  can0  1A0   [2]  AB 02\n")
    code, out, error = run("frames", path)
    assert (code, out.count("\n")) == (0, 4)
    assert "times: none in the table: its rows lie a nanosecond apart until a rate is chosen" in error


def test_a_tail_goes_with_blanks():
    with pytest.raises(MisuseError, match="tail goes with blanks between cells, not ','"):
        Columns(roles=("time", "payload"), tail=True).check()
    assert "tail" in published_schema()["$defs"]["Columns"]["properties"]


@pytest.mark.parametrize("size", ["", "2 "])
def test_behind_a_lane_digits_alone_are_bytes_too(tmp_path, size):
    path = tmp_path / "log.txt"
    path.write_text("".join(f"{n}.5 can0 100 {size}{n + 10} 02\n" for n in range(30)))
    found, report = read(path)
    assert [(at, lane, address, data.hex()) for at, lane, address, _, data in found] == [
        (n * 10**9 + 5 * 10**8, "can0", 0x100, f"{n + 10}02") for n in range(30)
    ]
    assert report.problem_count == 0


@pytest.mark.parametrize("sizes", [(0, 1), (0, 0, 2), (0, 1, 2)])
def test_frames_without_bytes_among_others_leave_the_columns_as_they_are(sizes):
    rows = [f"{n * 0.01:.6f}  can0  1A0   [{sizes[n % len(sizes)]}]  {' '.join(['A2', '33'][: sizes[n % len(sizes)]])}"
            for n in range(24)]  # fmt: skip
    found = guess_columns("\n".join(rows) + "\n")
    assert found.roles == ("time", "lane", "address", "size", "payload") and found.tail and not found.head_lines
