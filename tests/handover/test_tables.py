import csv
import io
import json
import os
import stat
import threading
from fractions import Fraction

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest

from tests.codec.oracle import physical, raw_value
from zesty_abacus.core.errors import DataError, MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.handover import chunks
from zesty_abacus.core.handover import frame_table as frames_as_table
from zesty_abacus.core.handover.chunks import Span
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA, frame_table
from zesty_abacus.core.handover.long_table import LONG_SCHEMA, long_table
from zesty_abacus.core.handover.wide_table import wide_schema, wide_table
from zesty_abacus.core.handover.writers import ExportError, export_tables, write_tables
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.reading.meaning import Meaning

PAGE = new_field("page", at("B0"), FieldKind.NAMES, names=(NamedValue(0, "oil, hot"), NamedValue(1, "water")))
LAYOUTS = [
    new_layout("One", Applies(address=0x100), 8, [
        PAGE,
        new_field("level", at("B2 B1"), FieldKind.SIGNED, ratio=Fraction(1, 10), unit="mm", unavailable=RawSet.of(-1)),
        new_field("part", at("B3"), selected=Selected(PAGE.id, RawSet.of(1))),
    ]),
    new_layout("Two", Applies(address=0x200), 8, [
        new_field("big", at("B0..B7")), new_field("text", at("B0..B1"), FieldKind.TEXT, selected=None)][:1]),
    new_layout("Text", Applies(address=0x300), 2, [new_field("text", at("B0..B1"), FieldKind.TEXT)]),
]  # fmt: skip


@pytest.fixture
def capture():
    random = np.random.default_rng(3)
    n = 300
    address = np.array([0x100, 0x200, 0x300, 0x400])[random.integers(0, 4, n)]
    payload = random.integers(0, 256, (n, 8), dtype=np.uint8)
    payload[:, 0] %= 3
    payload[address == 0x300, :2] = list(b'a"')
    payload[5] = 255
    address[5] = 0x100
    address[6] = 0x200
    payload[6] = 255
    flags = np.where(random.random(n) < 0.5, F.SENT, F.RECEIVED | F.LONG).astype(np.uint32)
    table = FrameTable(np.arange(n) * 1000, np.zeros(n, np.uint16), address, flags, np.arange(n) * 8,
                       np.full(n, 8, np.uint32), payload.ravel())  # fmt: skip
    return Capture.from_table(table, (Lane("deck, aft"),))


def rows_of(form, schema, parts):
    """Write tables and read them back with another library."""
    stream = io.BytesIO()
    write_tables(stream, form, schema, parts)
    if form == "csv":
        return list(csv.DictReader(io.StringIO(stream.getvalue().decode())))
    if form == "jsonl":
        return [json.loads(line) for line in stream.getvalue().splitlines()]
    return pyarrow.parquet.read_table(io.BytesIO(stream.getvalue())).to_pylist()


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
@pytest.mark.parametrize("chunk", [7, 100_000])
def test_long_rows_say_what_the_oracle_says(capture, form, chunk, monkeypatch):
    monkeypatch.setattr(chunks, "CHUNK_ROWS", chunk)
    rows = rows_of(form, LONG_SCHEMA, long_table(Meaning.of(capture, LAYOUTS)))
    wanted = []
    for row in range(len(capture)):
        layout = next((x for x in LAYOUTS if x.applies.address == capture.frames.at(row).address), None)
        payload = capture.frames.at(row).payload
        for field in layout.fields if layout else ():
            if field.selected is None or payload[0] in field.selected.values:
                wanted.append((row, layout, field, payload))
    assert len(rows) == len(wanted)
    for found, (row, layout, field, payload) in zip(rows, wanted, strict=True):
        assert int(found["time_ns"]) == row * 1000 and found["lane"] == "deck, aft"
        assert (found["message"], found["field"], found["unit"]) == (layout.name, field.name, field.unit)
        if field.kind is FieldKind.TEXT:
            assert found["raw"] in (None, "") and found["label"] == 'a"'
            continue
        assert int(found["raw"]) == raw_value(field, payload)
        silent = raw_value(field, payload) in field.unavailable
        assert found["valid"] == ("not available" if silent else "good")
        if silent:
            assert found["value"] in (None, "")
        else:
            assert float(found["value"]) == pytest.approx(float(physical(field, payload)), rel=1e-12)


def test_raw_values_of_64_bits_are_not_rounded(capture):
    for form in ("csv", "jsonl", "parquet"):
        rows = [
            row for row in rows_of(form, LONG_SCHEMA, long_table(Meaning.of(capture, LAYOUTS))) if row["field"] == "big"
        ]
        assert any(int(row["raw"]) == 2**64 - 1 for row in rows), form


def test_wide_rows_hold_each_frame_once(capture):
    rows = rows_of("csv", wide_schema(Meaning.of(capture, LAYOUTS)), wide_table(Meaning.of(capture, LAYOUTS)))
    assert len(rows) == int(np.isin(capture.frames.addresses(np.arange(len(capture))), [0x100, 0x200, 0x300]).sum())
    assert [int(row["time_ns"]) for row in rows] == sorted(int(row["time_ns"]) for row in rows)
    ones = [row for row in rows if row["message"] == "One"]
    assert {row["One.page"] for row in ones} <= {"oil, hot", "water", "2", "255"}
    assert all((row["One.part"] == "") == (row["One.page"] != "water") for row in ones)
    assert all(row["Two.big"] == "" for row in ones)


def test_frames_leave_with_their_payload_in_hex(capture):
    rows = rows_of("csv", FRAME_SCHEMA, frame_table(capture, Span(10, 20)))
    assert len(rows) == 10
    for number, row in enumerate(rows, 10):
        assert bytes.fromhex(row["payload"]) == capture.frames.at(number).payload
        assert row["direction"] == F.direction_word(capture.frames.at(number).flags)
        assert row["flags"] == F.flag_words(capture.frames.at(number).flags)


def test_a_stretch_of_time_holds_both_its_ends(capture):
    span = Span.of(capture, 5000, 9000)
    assert (span.first, span.last) == (5, 10)
    assert Span.of(capture) == Span(0, 300)


@pytest.mark.parametrize("most", [4799, 4800])
def test_a_frame_that_no_column_holds_is_said(capture, monkeypatch, most):
    """Three hundred frames of eight bytes are 4 800 digits."""
    monkeypatch.setattr(frames_as_table, "_MOST_TEXT", most)
    if most == 4800:
        assert len(rows_of("csv", FRAME_SCHEMA, frame_table(capture))) == 300
    else:
        with pytest.raises(DataError, match="a frame of 2400 bytes is longer than a table holds"):
            rows_of("csv", FRAME_SCHEMA, frame_table(capture))


def test_nothing_to_decode_is_said(capture):
    with pytest.raises(MisuseError, match="no layout of the library reads any frame"):
        list(long_table(Meaning.of(capture, [])))


def test_a_file_appears_only_when_it_is_whole(capture, tmp_path):
    progress = Progress()

    def broken():
        yield from frame_table(capture)
        progress.cancel()
        yield from frame_table(capture)

    with pytest.raises(Cancelled):
        export_tables(tmp_path / "a.csv", "csv", FRAME_SCHEMA, broken(), progress)
    assert list(tmp_path.iterdir()) == []
    assert export_tables(tmp_path / "a.csv", "csv", FRAME_SCHEMA, frame_table(capture)) == 300
    with pytest.raises(ExportError, match="cannot be written"):
        export_tables(tmp_path / "no" / "a.csv", "csv", FRAME_SCHEMA, frame_table(capture))
    with pytest.raises(MisuseError, match="no format 'doc'"):
        export_tables(tmp_path / "b.doc", "doc", FRAME_SCHEMA, frame_table(capture))


def test_a_pipe_is_written_to_and_stays_a_pipe(tmp_path):
    pipe, read = tmp_path / "pipe", []
    os.mkfifo(pipe)
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    schema = pa.schema([("a", pa.int64())])
    assert export_tables(pipe, "csv", schema, [pa.table({"a": [1, 2]}, schema)]) == 2
    reader.join()
    assert read == [b"a\n1\n2\n"] and stat.S_ISFIFO(pipe.stat().st_mode)
