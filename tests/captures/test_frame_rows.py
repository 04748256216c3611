"""Frames in Parquet files and JSON lines: written and read again, as others write them, and broken."""

from __future__ import annotations

import dataclasses
import json

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.program import run
from tests.strategies import assert_same_frames, frame_tables, joined
from zesty_abacus.core.captures.registry import read_recording, recognise
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA, frame_table
from zesty_abacus.core.handover.writers import export_tables

ROWS = [
    {"time_ns": 1_700_000_000_000_000_001, "lane": "deck", "address": 417, "flags": "", "payload": "0A0B"},
    {"time_ns": 1_700_000_000_000_000_002, "lane": "shore", "address": 16_973_824, "flags": "answer", "payload": ""},
    {"time_ns": 1_700_000_000_000_000_003, "lane": "deck", "address": 418, "flags": "extended", "payload": "FF"},
]  # fmt: skip


def read(path):
    """Return (time, lane, address, flags, payload) of each frame, and the report."""
    found = []

    def take(table, lanes):
        columns = (table.time_ns, table.lane, table.address, table.flags)
        found.extend(
            (time, lanes[lane], address, flags, table.payload_of(n))
            for n, (time, lane, address, flags) in enumerate(zip(*(one.tolist() for one in columns), strict=True))
        )

    return found, read_recording(path, take)


EXPECTED = [
    (1_700_000_000_000_000_001, "deck", 417, 0, b"\n\x0b"),
    (1_700_000_000_000_000_002, "shore", 1 << 24 | 3 << 16, F.ANSWER, b""),
    (1_700_000_000_000_000_003, "deck", 418, F.EXTENDED, b"\xff"),
]


def lines(rows):
    return "".join(json.dumps(row) + "\n" for row in rows)


@pytest.mark.parametrize("form", ["jsonl", "parquet"])
@given(table=frame_tables())
def test_every_table_of_frames_that_leaves_comes_back(tmp_path_factory, form, table):
    if not len(table):
        return
    path = tmp_path_factory.mktemp("rows") / f"a.{form}"
    lanes = ["can0", "can 1"]
    capture = Capture.from_table(table, [Lane(name) for name in lanes])
    assert export_tables(path, form, FRAME_SCHEMA, frame_table(capture)) == len(table)
    chunks = []
    report = read_recording(path, lambda chunk, _lanes: chunks.append(chunk))
    found = joined(chunks)
    numbers = np.array([lanes.index(one) for one in report.lanes], np.uint16)
    assert report.problem_count == 0
    assert_same_frames(dataclasses.replace(found, lane=numbers[found.lane]), capture.in_order())


def test_rows_are_read_exactly(tmp_path):
    (tmp_path / "a.jsonl").write_text(lines(ROWS))
    pa.parquet.write_table(pa.Table.from_pylist(ROWS), tmp_path / "a.parquet")
    for name, form in (("a.jsonl", "JSON lines"), ("a.parquet", "Parquet")):
        assert recognise(tmp_path / name) == form
        found, report = read(tmp_path / name)
        assert found == EXPECTED and (report.problem_count, report.frames) == (0, 3), name


@pytest.mark.parametrize("form", ["jsonl", "parquet"])
def test_what_frames_puts_out_is_read_again(tmp_path, form):
    log = "".join(f"({1_700_000_000 + n / 100:.6f}) deck {0x100 + n % 3:03X}#{n % 256:02X}00 R\n" for n in range(300))
    (tmp_path / "a.log").write_text(log)
    for times in ("ns", "iso", "seconds"):
        out = tmp_path / f"{times}.{form}"
        assert run("frames", tmp_path / "a.log", "--time", times, "-o", out)[0] == 0
        again = run("frames", out, "--time", times)
        assert again == run("frames", tmp_path / "a.log", "--time", times), times


@pytest.mark.parametrize(
    "rows",
    [
        [{"timestamp": "2023-11-14T22:13:20.000000001Z", "bus": "deck", "id": "0x1A1", "data": "0A 0B"},
         {"timestamp": "2023-11-14T22:13:20.000000003Z", "bus": "deck", "id": "0x1A2", "data": "FF"}],
        [{"t": 1_700_000_000.5 + n, "id": 417, "data": "0A-0B", "extra": {"nested": [1]}} for n in range(3)],
        [{"time_ms": n, "id": 417, "d0": 10, "d1": 11} for n in range(3)],
        [{"ts": n + 0.5, "t": n + 0.5, "frame": {"id": 417, "data": [10, 11]}} for n in range(3)],
        [{"time": n + 0.5, "bus": {"name": "deck", "frame": {"address": 417, "payload": "0A0B"}}} for n in range(3)],
    ],
)  # fmt: skip
def test_rows_of_others_go_by_the_names_of_their_columns(tmp_path, rows):
    (tmp_path / "a.jsonl").write_text(lines(rows))
    pa.parquet.write_table(pa.Table.from_pylist(rows), tmp_path / "a.parquet")
    (first, report), (second, _) = read(tmp_path / "a.jsonl"), read(tmp_path / "a.parquet")
    assert report.problem_count == 0 and first[0][2] == second[0][2] == 0x1A1
    assert [one[0] for one in first] == [one[0] for one in second]
    assert {one[4] for one in first} <= {b"\n\x0b", b"\xff"} and len(first) == len(rows)


def test_a_list_that_is_no_bytes_costs_its_row_also_behind_a_broken_line(tmp_path):
    rows = [{"time": n + 0.5, "frame": {"id": 417, "data": [n, 255]}} for n in range(60)]
    wrong = [{"time": 30.5, "frame": {"id": 417, "data": data}} for data in ([256], [-1], [1, None], [])]
    (tmp_path / "a.jsonl").write_text(lines(rows + wrong))
    (tmp_path / "b.jsonl").write_text(lines(rows[:1]) + "{broken\n" + lines(rows[1:] + wrong[:2]))
    for name, places in (("a", [61, 62, 63]), ("b", [2, 62, 63])):
        found, report = read(tmp_path / f"{name}.jsonl")
        assert [one[4] for one in found[:60]] == [bytes([n, 255]) for n in range(60)]
        assert [one[4] for one in found[60:]] == ([b""] if name == "a" else [])
        assert [int(one.place.split()[1].strip(",")) for one in report.problems] == places


def test_broken_lines_are_listed_and_all_others_read(tmp_path):
    text = lines(ROWS[:1]) + "{broken\n" + lines(ROWS[1:2]) + "[1]\n\n" + lines(ROWS[2:]).rstrip("\n")
    (tmp_path / "a.jsonl").write_text(text)
    found, report = read(tmp_path / "a.jsonl")
    assert found == EXPECTED
    assert [(one.place, one.reason) for one in report.problems] == [
        ("line 2", "it is no JSON"), ("line 4", "it is no object"),
    ]  # fmt: skip


def test_a_cell_that_is_wrong_costs_its_row(tmp_path):
    (tmp_path / "a.jsonl").write_text(lines([*ROWS * 20, ROWS[0] | {"payload": "0G"}, ROWS[0] | {"time_ns": "soon"}]))
    found, report = read(tmp_path / "a.jsonl")
    assert found == EXPECTED * 20
    assert [one.place for one in report.problems] == ["line 62, column time", "line 61, column payload"]


def test_lines_are_counted_as_they_stand(tmp_path):
    """Behind empty and broken lines, too."""
    text = lines(ROWS * 20) + "\n{broken\n" + lines([ROWS[0] | {"payload": "0G"}])
    (tmp_path / "a.jsonl").write_text(text)
    found, report = read(tmp_path / "a.jsonl")
    assert found == EXPECTED * 20
    assert [one.place for one in report.problems] == ["line 62", "line 63, column payload"]


def test_other_tables_say_what_they_lack(tmp_path):
    pa.parquet.write_table(pa.table({"volt": [1.0, 2.0], "amp": [3.0, 4.0]}), tmp_path / "a.parquet")
    with pytest.raises(CaptureReadError, match=r"columns are those of no frames: volt, amp\..*payload in hex"):
        read(tmp_path / "a.parquet")
    (tmp_path / "b.parquet").write_bytes(b"PAR1 and nothing more")
    with pytest.raises(CaptureReadError, match="the Parquet file cannot be read"):
        read(tmp_path / "b.parquet")
    (tmp_path / "c.jsonl").write_text('{"volt": 1}\n{"volt": 2}\n')
    with pytest.raises(CaptureReadError, match="none of the known formats"):
        read(tmp_path / "c.jsonl")


@given(st.integers(0, 400), st.binary(max_size=4))
def test_any_damage_never_crashes(tmp_path_factory, place, noise):
    folder = tmp_path_factory.mktemp("damage")
    pa.parquet.write_table(pa.Table.from_pylist(ROWS), folder / "whole.parquet")
    for name, data in (("a.jsonl", lines(ROWS).encode()), ("a.parquet", (folder / "whole.parquet").read_bytes())):
        at = place % len(data)
        (folder / name).write_bytes(data[:at] + noise + data[at + len(noise) :])
        try:
            found, report = read(folder / name)
        except CaptureReadError:
            continue
        assert len(found) == report.frames


ARRAYS = {
    "one line": json.dumps(ROWS),
    "spread out": json.dumps(ROWS, indent=2),
    "a row a line": "[\n" + ",\n".join(json.dumps(row) for row in ROWS) + "\n]\n",
}


@pytest.mark.parametrize("how", ARRAYS)
def test_rows_may_stand_in_one_array(tmp_path, how):
    path = tmp_path / "frames.json"
    path.write_text(ARRAYS[how])
    assert recognise(path) == "JSON lines"
    found, report = read(path)
    assert found == EXPECTED and report.problem_count == 0


def test_what_is_wrong_in_an_array_is_told(tmp_path, monkeypatch):
    path = tmp_path / "frames.json"
    path.write_text(json.dumps([*ROWS * 5, 7, ROWS[0] | {"payload": "0"}]))
    found, report = read(path)
    assert found == EXPECTED * 5
    assert [(one.place, one.reason) for one in report.problems] == [
        ("item 16", "it is no object"), ("line 16, column payload", "'0' is no bytes in hex"),
    ]  # fmt: skip
    for broken in (ARRAYS["spread out"][:-4], ARRAYS["one line"][:-1] + ', {"time_ns": 1 2}]'):
        path.write_text(broken)
        found, report = read(path)
        whole = 2 if broken.startswith("[\n") else 3
        assert found == EXPECTED[:whole]
        assert [(one.place, one.reason) for one in report.problems] == [
            (f"item {whole + 1}", "the array is broken here, and is read no further")
        ]
    path.write_text("[1, 2]")
    assert recognise(path) != "JSON lines"
    monkeypatch.setattr("zesty_abacus.core.captures.frame_jsonl._LONGEST_ARRAY", 100)
    path.write_text(ARRAYS["one line"])
    with pytest.raises(CaptureReadError, match="Write it as JSON lines"):
        read(path)
