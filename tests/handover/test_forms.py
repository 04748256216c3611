"""Tables as Arrow, Excel, MAT and NumPy files, read back by what others read them with; and their times."""

from __future__ import annotations

import csv
import io
import json
import zipfile

import numpy as np
import openpyxl
import pyarrow as pa
import pytest
import scipy.io

from zesty_abacus.core.handover.block import Blocks, block_of
from zesty_abacus.core.handover.columns import RAW
from zesty_abacus.core.handover.forms import excel
from zesty_abacus.core.handover.forms.mat import variable_names
from zesty_abacus.core.handover.times import with_times
from zesty_abacus.core.handover.writers import ORIGIN_KEY, WRITERS, ExportError, export_tables, write_tables
from zesty_abacus.core.origin import Origin

NOON = 1_778_572_800_000_000_001
SCHEMA = pa.schema([("time_ns", pa.int64()), ("Hook.pull", pa.float64()), ("raw", RAW), ("label", pa.string())])
ROWS = [
    (NOON, 12.5, 2**63 + 1, "=1+1"), (NOON + 20_000_000, None, 3, "astern ü"),
    (NOON + 40_000_001, -0.25, 2**53 + 1, None),
]  # fmt: skip


def tables(rows=tuple(ROWS)):
    """In two pieces, as exports come."""
    for some in (rows[:1], rows[1:]):
        yield pa.table([list(column) for column in zip(*some, strict=True)], schema=SCHEMA)


def written(form, **settings):
    stream = io.BytesIO()
    write_tables(stream, form, SCHEMA, tables(), **settings)
    stream.seek(0)
    return stream


def test_arrow_holds_what_was_given():
    found = pa.ipc.open_file(written("arrow")).read_all()
    assert found.schema.equals(SCHEMA)
    assert [tuple(row.values()) for row in found.to_pylist()] == ROWS


def test_a_workbook_has_types_and_runs_nothing():
    book = openpyxl.load_workbook(written("xlsx"))
    rows = list(book["values"].iter_rows())
    assert [cell.value for cell in rows[0]] == list(SCHEMA.names)
    assert [[cell.value for cell in row] for row in rows[1:]] == [
        # numbers that a float would round are texts
        [str(NOON), 12.5, str(2**63 + 1), "=1+1"], [str(NOON + 20_000_000), None, 3, "astern ü"],
        [str(NOON + 40_000_001), -0.25, str(2**53 + 1), None],
    ]  # fmt: skip
    assert {cell.data_type for row in rows for cell in row} == {"s", "n"}, "no cell is a formula"


def test_a_workbook_holds_no_control_characters():
    schema = pa.schema([("na\x07me", pa.string())])
    stream = io.BytesIO()
    write_tables(stream, "xlsx", schema, [pa.table([["a\x00b", "x" * 40_000]], schema=schema)])
    sheet = openpyxl.load_workbook(io.BytesIO(stream.getvalue()))["values"]
    values = [row[0] for row in sheet.iter_rows(values_only=True)]
    assert values[:2] == [r"na\x07me", r"a\x00b"] and len(values[2]) == 32_767


def test_a_sheet_that_is_too_small_says_so_and_leaves_nothing(tmp_path, monkeypatch):
    monkeypatch.setattr(excel, "MOST_ROWS", 3)
    with pytest.raises(excel.TooLargeError, match="more than the 3 rows that a sheet holds"):
        export_tables(tmp_path / "out.xlsx", "xlsx", SCHEMA, tables())
    assert not list(tmp_path.iterdir())
    monkeypatch.setattr(excel, "MOST_ROWS", 4)
    assert export_tables(tmp_path / "out.xlsx", "xlsx", SCHEMA, tables()) == 3


def test_mat_has_a_variable_a_column():
    found = scipy.io.loadmat(written("mat"))
    assert found["time_ns"].ravel().tolist() == [row[0] for row in ROWS] and found["time_ns"].dtype == np.int64
    assert np.array_equal(found["Hook_pull"].ravel(), [12.5, np.nan, -0.25], equal_nan=True)
    assert found["raw"].dtype == np.uint64 and found["raw"].ravel().tolist() == [row[2] for row in ROWS]
    assert [str(cell[0]) if len(cell) else "" for cell in found["label"].ravel()] == ["=1+1", "astern ü", ""]
    assert [str(cell[0]) for cell in found["columns"].ravel()] == list(SCHEMA.names)


@pytest.mark.parametrize("form", ["mat", "npz", "parquet"])
def test_what_repeats_takes_little_room(form):
    schema = pa.schema([("steady", pa.int64())])
    stream = io.BytesIO()
    write_tables(stream, form, schema, [pa.table([[7] * 100_000], schema=schema)])
    assert len(stream.getvalue()) < 10_000


@pytest.mark.parametrize(
    ("columns", "variables"),
    [
        (["a.b", "a b", "a_b"], ["a_b", "a_b_2", "a_b_3"]),
        (["columns", "7 up", "ü"], ["columns_2", "v_7_up", "v_"]),
        (["x" * 70, "x" * 80], ["x" * 63, "x" * 61 + "_2"]),
    ],
)
def test_variables_are_told_apart(columns, variables):
    assert variable_names(columns) == variables


def test_npz_has_an_array_a_column():
    found = np.load(written("npz"), allow_pickle=False)
    assert set(found.files) == set(SCHEMA.names)
    assert found["time_ns"].tolist() == [row[0] for row in ROWS]
    assert found["raw"].dtype == np.uint64 and found["raw"].tolist() == [row[2] for row in ROWS]
    assert found["label"].tolist() == ["=1+1", "astern ü", ""]


@pytest.mark.parametrize(
    ("raws", "kind"), [([-5, 7], np.int64), ([2**63, None], np.float64), ([-1, 2**63], np.float64)]
)
def test_whole_numbers_take_the_smallest_type_that_holds_all(raws, kind):
    schema = pa.schema([("raw", RAW)])
    stream = io.BytesIO()
    write_tables(stream, "npz", schema, [pa.table([raws], schema=schema)])
    assert np.load(io.BytesIO(stream.getvalue()))["raw"].dtype == kind


@pytest.mark.parametrize("form", ["arrow", "xlsx", "mat", "npz", "parquet"])
def test_every_form_with_room_for_it_says_where_it_is_from(tmp_path, form):
    origin = Origin("harbour library", "id", 7, release="run 14")
    path = tmp_path / f"out.{form}"
    export_tables(path, form, SCHEMA, tables(), origin=origin)
    said = {
        "arrow": lambda: pa.ipc.open_file(path).schema.metadata[ORIGIN_KEY].decode(),
        "parquet": lambda: pa.parquet.read_schema(path).metadata[ORIGIN_KEY].decode(),
        "mat": lambda: str(scipy.io.loadmat(path)["zesty_abacus_origin"][0]),
        "npz": lambda: str(np.load(path)["zesty_abacus.origin"]),
        "xlsx": lambda: "".join(row[0] for row in list(openpyxl.load_workbook(path)["origin"].values)[1:]),
    }[form]()  # fmt: skip
    assert json.loads(said)["release"] == "run 14"


@pytest.mark.parametrize("form", sorted(WRITERS))
def test_no_rows_are_a_table_too(form):
    stream = io.BytesIO()
    write_tables(stream, form, SCHEMA, [])
    data = stream.getvalue()
    assert form in ("jsonl",) or data
    if form == "npz":
        assert zipfile.ZipFile(io.BytesIO(data)).testzip() is None
    if form == "mat":
        assert scipy.io.loadmat(io.BytesIO(data))["time_ns"].size == 0


@pytest.mark.parametrize(
    ("times", "name", "values"),
    [
        ("ns", "time_ns", [str(NOON), str(NOON + 20_000_000), str(NOON + 40_000_001)]),
        ("seconds", "time_s", ["1e-9", "0.020000001", "0.040000002"]),
        ("iso", "time", [f"2026-05-12T08:00:00.{ns}Z" for ns in ("000000001", "020000001", "040000002")]),
    ],
)
def test_times_stand_in_three_forms(times, name, values):
    schema, blocks = with_times(SCHEMA, Blocks.of(tables()).then(block_of), times, NOON - 1)
    stream = io.BytesIO()
    write_tables(stream, "csv", schema, blocks)
    rows = list(csv.DictReader(io.StringIO(stream.getvalue().decode())))
    assert [row[name] for row in rows] == values and len(rows[0]) == 4


def test_an_unknown_form_is_refused(tmp_path):
    with pytest.raises(Exception, match="there is no format 'ods'"):
        write_tables(io.BytesIO(), "ods", SCHEMA, tables())
    (tmp_path / "out.npz").write_bytes(b"mine")
    with pytest.raises(ExportError):
        export_tables(tmp_path / "out.npz", "npz", SCHEMA, tables())
    assert (tmp_path / "out.npz").read_bytes() == b"mine"
