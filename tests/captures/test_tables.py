"""Tables of frames, timed bytes, and the cells they are made of."""

import dataclasses
from decimal import Decimal

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.captures.frame_file import write_frames
from tests.strategies import assert_same_frames, frame_tables, joined, table_of
from zesty_abacus.core.captures.column_guess import guess_columns
from zesty_abacus.core.captures.columns import Columns, split_line
from zesty_abacus.core.captures.frame_csv import FORMAT as FRAME_TABLE
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.captures.report import CaptureReadError, ReadReport
from zesty_abacus.core.captures.table_times import TableTimes
from zesty_abacus.core.captures.tables import numbers
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.progress import Progress


def read(tmp_path, text, file="a.csv", **how):
    path = tmp_path / file
    path.write_text(text)
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk), **how)
    return joined(chunks), report


def written(folder, table, file, lanes):
    path = folder / file
    writer = open_writer(path, lanes)
    writer.append(table)
    writer.close()
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    return joined(chunks), report


class TestFrameTables:
    def test_a_payload_in_one_column(self, tmp_path):
        table, report = read(
            tmp_path, "Time,Bus,ID,Dir,Len,Data\n0.5,can0,1A0,rx,3,01 02 03\n1.25,can1,0x18FF0210,tx,2,0A0b\n"
        )
        assert table.time_ns.tolist() == [500_000_000, 1_250_000_000] and report.lanes == ["can0", "can1"]
        assert table.address.tolist() == [0x1A0, 0x18FF0210]
        assert table.flags.tolist() == [F.RECEIVED, F.SENT | F.EXTENDED]
        assert [table.payload_of(n) for n in (0, 1)] == [b"\x01\x02\x03", b"\x0a\x0b"]

    def test_the_last_row_needs_no_end_of_line_nor_does_the_only_one(self, tmp_path):
        path = tmp_path / "a.csv"
        columns = Columns(separator=",", head_lines=0, names=("id", "data"), roles=("address", "payload"))
        for text, wanted in (("1A0,0102", [b"\1\2"]), ("1A0,0102\n1A1,03", [b"\1\2", b"\3"]), ("", [])):
            path.write_text(text)
            chunks, report = [], ReadReport("table")
            FRAME_TABLE.read_with(path, columns, chunks.append, report, Progress())
            table = joined(chunks) if chunks else []
            assert [table.payload_of(n) for n in range(len(table))] == wanted and report.problem_count == 0

    @pytest.mark.parametrize(("rate_hz", "step_ns"), [(None, 1), (1000.0, 1_000_000), (3.0, 333_333_333)])
    def test_rows_of_a_table_without_times_are_counted_over_all_of_its_blocks(self, tmp_path, rate_hz, step_ns):
        rows = 200_000
        path = tmp_path / "a.csv"
        path.write_text("id,data\n" + "".join(f"1A0,{row & 0xFFFFFF:06X}\n" for row in range(rows)))
        columns = Columns(separator=",", head_lines=1, names=("id", "data"), roles=("address", "payload"),
                          rate_hz=rate_hz)  # fmt: skip
        chunks, report = [], ReadReport("table")
        FRAME_TABLE.read_with(path, columns, chunks.append, report, Progress())
        table = joined(chunks)
        assert len(chunks) > 1, "several blocks"
        assert len(table) == rows and not report.problem_count
        assert (table.time_ns == np.arange(rows) * step_ns).all()
        assert table.payload_of(rows - 1) == (rows - 1).to_bytes(3, "big")

    @pytest.mark.parametrize(
        ("word", "flags"),
        [("Rx", F.RECEIVED), ("r", F.RECEIVED), ("received", F.RECEIVED), ("TX", F.SENT), ("transmit", F.SENT),
         ("s", F.SENT), ("read", F.READ), ("Write", 0), ("request", 0), ("answer", F.ANSWER),
         ("response", F.ANSWER), ("", 0), ("rx read", F.RECEIVED | F.READ)],
    )  # fmt: skip
    def test_a_direction_says_which_way_and_what_it_is(self, tmp_path, word, flags):
        table, report = read(tmp_path, f"time,address,direction,payload\n0.1,0x48,{word},0102\n")
        assert table.flags.tolist() == [flags] and not report.problems

    def test_a_direction_that_is_none_is_told_with_its_line(self, tmp_path):
        table, report = read(tmp_path, "time,address,direction,payload\n0.1,1,rx,01\n0.2,1,sideways,02\n")
        assert table.flags.tolist() == [F.RECEIVED, 0]
        (problem,) = report.problems
        assert (problem.place, problem.reason) == ("line 3, column direction", "'sideways' says nothing of a frame")

    def test_a_byte_a_column_in_hex_and_in_decimal(self, tmp_path):
        table, _ = read(tmp_path, "t;id;b0;b1;b2\n0,1;100;0A;FF;\n0,2;101;01;;\n0,3;102;7F;80;01\n")
        assert [table.payload_of(n) for n in range(3)] == [b"\x0a\xff", b"\x01", b"\x7f\x80\x01"]
        assert table.address.tolist() == [100, 101, 102] and table.time_ns[0] == 100_000_000
        table, _ = read(tmp_path, "t,id,b0,b1\n0.1,7,10,200\n0.2,7,9,255\n0.3,7,0,3\n", "b.csv")
        assert [table.payload_of(n) for n in range(3)] == [b"\x0a\xc8", b"\x09\xff", b"\x00\x03"]

    def test_a_size_column_cuts_the_bytes(self, tmp_path):
        table, _ = read(tmp_path, "t,id,len,d0,d1,d2\n0.1,1A0,2,0A,0B,0C\n0.2,1A0,3,0A,0B,0C\n0.3,1A0,9,0A,0B,0C\n")
        assert table.size.tolist() == [2, 3, 3]

    def test_wrong_cells_stand_with_line_and_column_and_the_rest_is_read(self, tmp_path):
        rows = ["0.1,1A0,01", "0.2,XYZ,02", "0.3,1A0,0", "soon,1A0,04", "0.5,1A0,05"]
        columns = Columns(names=("t", "id", "data"), roles=("time", "address", "payload"), head_lines=1)
        table, report = read(tmp_path, "t,id,data\n" + "\n".join(rows) + "\n", name="frame table", columns=columns)
        assert [table.payload_of(n) for n in range(len(table))] == [b"\x01", b"\x05"]
        places = [problem.place for problem in report.problems]
        assert sorted(places) == ["line 3, column id", "line 4, column data", "line 5, column time"]

    def test_without_a_payload_there_is_nothing_to_read(self, tmp_path):
        path = tmp_path / "a.csv"
        path.write_text("t,id\n0.1,100\n")
        with pytest.raises(CaptureReadError, match="no column with a payload"):
            FRAME_TABLE.read_with(path, Columns(roles=("time", "address")), lambda _: None, ReadReport("x"), Progress())

    @given(frame_tables(lanes=2))
    @example(table_of([(0, 0, 0, F.REMOTE, b""), (0, 0, 10, F.REMOTE, b"")]))
    def test_what_the_program_writes_comes_back_with_every_flag(self, tmp_path_factory, table):
        if len(table):
            path = tmp_path_factory.mktemp("tables") / "a.csv"
            write_frames(path, table, ["one", "two, and a half"])
            chunks = []
            report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
            found = joined(chunks)
            order = [["one", "two, and a half"].index(name) for name in report.lanes]
            found = dataclasses.replace(found, lane=np.array(order, np.uint16)[found.lane])
            assert_same_frames(found, table.by_time())
            assert report.problem_count == 0


class TestTimedBytes:
    def test_every_way_to_write_a_line(self, tmp_path):
        text = "# noted by hand\n12.5 > 01 03 00\n12.6 < 0A0b\n13: FF\n\n14.000000001 7E # the end\n"
        table, report = read(tmp_path, text, "a.bytes")
        assert table.time_ns.tolist() == [12_500_000_000, 12_600_000_000, 13_000_000_000, 14_000_000_001]
        assert table.flags.tolist() == [F.SENT, F.RECEIVED, 0, 0]
        assert [table.payload_of(n) for n in range(4)] == [b"\x01\x03\x00", b"\x0a\x0b", b"\xff", b"\x7e"]
        assert report.problem_count == 0

    def test_what_is_wrong_stands_with_its_line(self, tmp_path):
        text = "1.0 01\nsoon 02\n2.0 0\n3.0 xx\n4.0\n99999999999.0 01\n5.0 05\n"
        table, report = read(tmp_path, text, "a.bytes", name="timed bytes")
        assert [table.payload_of(n) for n in range(len(table))] == [b"\x01", b"\x05"]
        assert [(p.place, p.reason.split()[1]) for p in report.problems] == [
            ("line 2", "line"), ("line 3", "bytes"), ("line 4", "bytes"), ("line 5", "bytes"), ("line 6", "time"),
        ]  # fmt: skip

    def test_times_go_to_nanoseconds_and_to_ten_digits_of_seconds(self, tmp_path):
        text = "0.1234567899 01\n0.12 02\n1.000000000999 03\n8999999999.5 04\n9000000000.0 05\n9000000001.0 06\n"
        table, report = read(tmp_path, text, "a.bytes", name="timed bytes")
        assert table.time_ns.tolist() == [
            123_456_789, 120_000_000, 1_000_000_000, 8_999_999_999_500_000_000, 9_000_000_000_000_000_000,
        ]  # fmt: skip
        assert [problem.place for problem in report.problems] == ["line 6"]
        longer, report = read(tmp_path, "00000000001.0 01\n1.0 02\n", "b.bytes", name="timed bytes")
        assert len(longer) == 1 and [problem.place for problem in report.problems] == ["line 1"], "eleven digits"

    def test_every_cut_keeps_whole_lines(self, tmp_path):
        text = "1.5 > 01 02\n2.5 < 03 04\n3.5 05\n"
        for size in range(1, len(text)):
            table, _ = read(tmp_path, text[:size], "a.bytes", name="timed bytes")
            assert len(table) >= text[:size].count("\n")

    @given(frame_tables(lanes=1))
    def test_reading_inverts_writing(self, tmp_path_factory, table):
        kept = np.flatnonzero(table.size > 0)
        if not len(kept):
            return
        columns = [getattr(table, name)[kept] for name in table.__slots__[:-1]]
        columns[2] = np.zeros(len(kept), np.int64)
        columns[3] = columns[3] & np.uint32(F.SENT | F.RECEIVED)
        table = type(table)(*columns, table.payload)
        found, report = written(tmp_path_factory.mktemp("bytes"), table, "a.bytes", ["x"])
        assert report.problems == []
        assert_same_frames(found, table)

    def test_two_lanes_do_not_fit(self, tmp_path):
        with pytest.raises(MisuseError, match="one lane"):
            open_writer(tmp_path / "a.bytes", ["a", "b"])


class TestCells:
    @given(
        st.lists(st.decimals(min_value=0, max_value=9_000_000_000, places=9, allow_nan=False), min_size=1, max_size=20),
        st.sampled_from([("s", 9), ("ms", 6), ("µs", 3)]),
        st.sampled_from([".", ","]),
    )
    def test_times_are_exact_to_the_nanosecond(self, times, unit, sign):
        name, digits = unit
        times = [time % Decimal(10) ** (18 - digits) if digits < 9 else time for time in times]
        words = pa.array([f"{time:.{digits}f}".replace(".", sign) for time in times])
        found, good = TableTimes(Columns(decimal=sign, time_unit=name, separator=";"), ReadReport("x")).of(
            words, np.arange(len(words))
        )
        wanted = [int(Decimal(f"{time:.{digits}f}") * 10**digits) for time in times]
        assert good.all() and found.tolist() == wanted

    def test_times_with_signs_and_exponents_are_read_as_floats(self):
        words, report = pa.array(["-1.5", "2e-3", "x", "inf"]), ReadReport("x")
        found, good = TableTimes(Columns(), report).of(words, np.array([10, 12, 13, 20]))
        assert [one.place for one in report.problems] == ["line 13, column time", "line 20, column time"]
        assert good.tolist() == [True, True, False, False] and found[:2].tolist() == [-1_500_000_000, 2_000_000]

    @given(st.lists(st.floats(allow_nan=False, allow_infinity=False), min_size=1, max_size=20))
    def test_numbers_come_back(self, values):
        report = ReadReport("x")
        assert (
            numbers(pa.array([repr(v) for v in values]), Columns(), np.arange(len(values)), "v", report).tolist()
            == values
        )
        assert report.problem_count == 0

    @given(st.text(max_size=400))
    def test_any_text_is_guessed_at_without_harm(self, text):
        columns = guess_columns(text)
        if columns is not None:
            columns.check()
            assert len(columns.names) == len(columns.roles) == len(set(columns.names))

    def test_cells_lose_blanks_and_quotes(self):
        assert split_line(' "a b" ; 2;"c"', ";") == ["a b", "2", "c"] and split_line("a  b\tc", " ") == ["a", "b", "c"]

    @pytest.mark.parametrize(
        ("head", "unit", "names"),
        [
            ("time_ms,v\n", "ms", ("time_ms", "v")),
            ("t [us];v [V]\n", "µs", ("t [us]", "v [V]")),
            ("# logged by hand\ntime\tvolt\ns\tV\n", "s", ("time (s)", "volt")),
            ("# by hand;\nZeit time;volt\n(ms);(V)\n", "ms", ("Zeit time (ms)", "volt")),
            ("Model,XY1\nSample Interval,1.0e-05\nRecord,50\n\ntime,volt\n", "s", ("time", "volt")),
        ],
    )
    def test_names_and_units_of_heads(self, head, unit, names):
        separator = next(sign for sign in ";\t," if sign in head)
        rows = "".join(f"{n}.5{separator}{n * 2}.25\n" for n in range(9))
        columns = guess_columns(head + rows)
        assert (columns.time_unit, columns.names, columns.roles) == (unit, names, ("time", "channel"))


def test_rows_of_data_may_begin_with_a_word():
    rows = "".join(f"can0,{n}.5,1A0,{n % 100:02}\n" for n in range(40))
    columns = guess_columns(f"lane,time,id,data\n{rows}")
    assert (columns.head_lines, columns.roles) == (1, ("lane", "time", "address", "payload"))


def test_lines_behind_rows_that_are_none_keep_their_number(tmp_path):
    rows = [f"{n}.5,1A0,0{n % 10}" for n in range(60)]
    rows[3], rows[4], rows[10] = "3.5,1A0", "4.5,1A0,04,05", "x,1A0,00"
    rows[20], rows[21], rows[30] = "a,b,c,d", "20.5,1G0,00", "30.5,1A0,0"
    table, report = read(tmp_path, "time,id,data\n" + "\n".join(rows) + "\n", "a.csv", name="frame table")
    assert table.time_ns.tolist() == [n * 10**9 + 5 * 10**8 for n in range(60) if n not in (3, 4, 10, 20, 21, 30)]
    assert sorted((one.place, one.reason) for one in report.problems) == [
        ("line 12, column time", "'x' is no number"), ("line 22", "4 columns, not 3"),
        ("line 23, column id", "'1G0' is no number"), ("line 32, column data", "'0' is no bytes in hex"),
        ("line 5", "2 columns, not 3"), ("line 6", "4 columns, not 3"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "cell", "address"),
    [("CAN-ID (hex)", "{n}", 0x100), ("id_hex", "{n}", 0x100), ("ID [dec]", "{n}", 100), ("ID", "{n}", 100),
     ("ID", "0x{n}", 0x100), ("hexagon id", "{n}", 100)],
)  # fmt: skip
def test_the_base_of_addresses_is_what_their_name_says(name, cell, address):
    rows = "".join(f"0.{n:02},{cell.format(n=100 + n)},{n:02X} 00\n" for n in range(30))
    columns = guess_columns(f"time,{name},data\n{rows}")
    assert int(cell.format(n=100), 0 if "x" in cell else columns.base) == address


@pytest.mark.parametrize("name", ["Value", "RX", "column"])
def test_a_byte_a_row_is_a_payload_whatever_its_column_is_called(name):
    rows = "".join(f"0.{n:02},0x{n:02X},,\n" for n in range(30))
    columns = guess_columns(f"Time [s],{name},Parity Error,Framing Error\n{rows}")
    assert columns.roles[:2] == ("time", "payload")
    # of two such columns either may be an address
    rows = "".join(f"0.{n:02},0x{n:02X},0x{n:02X}\n" for n in range(30))
    assert "payload" not in guess_columns(f"Time [s],{name},other\n{rows}").roles


@pytest.mark.parametrize(
    ("name", "cells", "role"),
    [("Read/Write", ("Read", "Write"), "direction"), ("R/W", ("read", "write"), "direction"),
     ("rw", ("Read",), "direction"), ("read", ("read", "write"), "ignore"),
     ("way", ("request", "answer"), "direction"), ("way", ("up", "down"), "ignore"), ("dir", ("",), "direction")],
)  # fmt: skip
def test_which_way_a_frame_went_goes_by_the_name_and_the_words(name, cells, role):
    rows = "".join(f"0.{n:02},0x48,{cells[n % len(cells)]},0x{n:02X}\n" for n in range(30))
    assert guess_columns(f"time,address,{name},data\n{rows}").roles[2] == role


def test_a_number_of_the_row_is_no_address_where_there_is_one():
    rows = "".join(f"0.{n:02},{n},0x48,0x{n:02X}\n" for n in range(30))
    columns = guess_columns(f"Time [s],Packet ID,Address,Data\n{rows}")
    assert columns.roles == ("time", "ignore", "address", "payload")
