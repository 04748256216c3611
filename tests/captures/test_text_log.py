import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import assert_same_frames, frame_tables, joined
from zesty_abacus.core.captures import source as source_module
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.captures.report import LISTED_PROBLEMS, CaptureReadError
from zesty_abacus.core.frames import flags as F


def read_text(tmp_path, text, name="a.log"):
    """Read a log given as text; return (frames, report)."""
    path = tmp_path / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    return joined(chunks), report


def row(table, number):
    flags = int(table.flags[number])
    return int(table.time_ns[number]), int(table.address[number]), flags, table.payload_of(number).hex()


@pytest.mark.parametrize(
    ("line", "wanted"),
    [
        ("(1700000000.123456) can0 1A0#0011223344556677", (1700000000123456000, 0x1A0, 0, "0011223344556677")),
        ("(0.000001) can0 18FF0210#01.02.03 R", (1000, 0x18FF0210, F.EXTENDED | F.RECEIVED, "010203")),
        ("(1.5) can0 1a0#aBcD T", (1500000000, 0x1A0, F.SENT, "abcd")),
        ("(1.000000001) can0 1A0#R", (1000000001, 0x1A0, F.REMOTE, "")),
        ("(1.0) can0 1A0#R4", (10**9, 0x1A0, F.REMOTE, "")),
        ("(1.0) can0 1A0#", (10**9, 0x1A0, 0, "")),
        ("(1.0) can0 1A0##0" + "11" * 12, (10**9, 0x1A0, F.LONG, "11" * 12)),
        ("(1.0) can0 1A0##3AA", (10**9, 0x1A0, F.LONG | F.RATE_SWITCH | F.ERROR_PASSIVE, "aa")),
        ("(1.0) can0 20000088#0000040000000000", (10**9, 0x88, F.ERROR, "0000040000000000")),
        ("(1.0) can0 1A0#0011223344556677_F", (10**9, 0x1A0, 0, "0011223344556677")),
        ("  (1.0)   can0\t1A0#00\r", (10**9, 0x1A0, 0, "00")),
    ],
)
def test_known_lines(tmp_path, line, wanted):
    table, report = read_text(tmp_path, line + "\n")
    assert report.problems == [] and row(table, 0) == wanted


@pytest.mark.parametrize(
    ("line", "reason"),
    [
        ("1.0 can0 1A0#00", "begin with a time"),
        ("(x) can0 1A0#00", "begin with a time"),
        ("(1) can0 1A0#00", "begin with a time"),
        ("(999999999999.0) can0 1A0#00", "time is out of range"),
        ("(1.0)", "interface name"),
        (f"(1.0) {'c' * 32} 1A0#00", "interface name"),
        ("(1.0) can0 1A#00", "3 or 8 hex digits"),
        ("(1.0) can0 800#00", "3 or 8 hex digits"),
        ("(1.0) can0 40000000#00", "3 or 8 hex digits"),
        ("(1.0) can0 1A0", "3 or 8 hex digits"),
        ("(1.0) can0 1A0#0", "half a byte"),
        ("(1.0) can0 1A0#GG", "not hex"),
        ("(1.0) can0 1A0#" + "00" * 9, "longer"),
        ("(1.0) can0 1A0##0" + "00" * 65, "longer"),
        ("(1.0) can0 1A0##", "not hex"),
        ("(1.0) can0 1A0#00 X", "after the frame"),
        ("(1.0) can0 1A0#00 R R", "after the frame"),
    ],
)
def test_a_broken_line_is_listed_with_its_number_and_the_rest_is_read(tmp_path, line, reason):
    good = "(1.0) can0 1A0#00\n"
    table, report = read_text(tmp_path, good + line + "\n" + good)
    assert len(table) == 2 and report.problem_count == 1
    assert report.problems[0].place == "line 2" and reason in report.problems[0].reason


@given(frame_tables())
def test_reading_inverts_writing(tmp_path_factory, table):
    path = tmp_path_factory.mktemp("log") / "a.log"
    writer = open_writer(path, ["can0", "can 1"])
    writer.append(table)
    writer.close()
    if not len(table):
        return
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    lanes = [["can0", "can_1"].index(name) for name in report.lanes]
    found = joined(chunks)
    assert_same_frames(dataclasses.replace(found, lane=np.array(lanes, np.uint16)[found.lane]), table)


@pytest.mark.parametrize("suffix", [".gz", ".zst"])
def test_compressed_logs_are_read_and_a_cut_one_keeps_what_is_whole(tmp_path, suffix):
    import gzip

    path = tmp_path / f"a.log{suffix}"
    table, _ = read_text(tmp_path, "".join(f"({n}.0) can0 1A0#{n % 256:02X}\n" for n in range(20000)))
    writer = open_writer(path, ["can0"])
    writer.append(table)
    writer.close()
    again, _ = read_text(tmp_path, path.read_bytes(), path.name)
    assert_same_frames(again, table)
    data = path.read_bytes()
    cut, report = read_text(tmp_path, data[: len(data) // 2], path.name)
    assert 0 < len(cut) < 20000 and report.problem_count >= 1
    assert cut.payload_of(0) == b"\0"
    if suffix == ".gz":
        assert gzip.decompress(data).startswith(b"(0000000000.000000) can0 1A0#00\n")


@pytest.mark.parametrize("chunk", [20, 64, 1000])
def test_results_do_not_depend_on_the_chunk(tmp_path, monkeypatch, chunk):
    text = "".join(f"({n}.5) can{n % 3} {n % 2048:03X}#{'AB' * (n % 9)}\n" for n in range(300)) + "broken\n"
    whole, report = read_text(tmp_path, text)
    default = source_module.ByteSource.chunks
    monkeypatch.setattr(source_module.ByteSource, "chunks", lambda self, r, p: default(self, r, p, chunk))
    again, second = read_text(tmp_path, text)
    assert_same_frames(again, whole)
    assert second.problems == report.problems and second.problems[0].place == "line 301"


def test_a_last_line_without_end(tmp_path):
    table, report = read_text(tmp_path, "(1.0) can0 1A0#00\n(2.0) can0 1A0#11")
    assert len(table) == 2 and report.problem_count == 0
    table, report = read_text(tmp_path, "(1.0) can0 1A0#00\n(2.0) can0 1A0#1")
    assert len(table) == 1 and "cut off" in report.problems[0].reason


def test_a_line_longer_than_what_is_read_at_once_is_listed_at_its_number(tmp_path, monkeypatch):
    default = source_module.ByteSource.chunks
    monkeypatch.setattr(source_module.ByteSource, "chunks", lambda self, r, p: default(self, r, p, 4096))
    good = "(1.0) can0 100#01\n"
    table, report = read_text(tmp_path, good * 3 + "x" * 60_000 + "\n" + good)
    assert len(table) == 4
    assert {(problem.place, problem.reason) for problem in report.problems} == {
        ("line 4", "the line is longer than 4096 letters"),
        ("line 4", "the line does not begin with a time such as (12.345678)"),
    }


def test_hostile_text_costs_no_memory_and_is_counted(tmp_path):
    good = "(1.0) can0 1A0#00\n"
    table, report = read_text(tmp_path, good + "x\n" * 5000 + good)
    assert len(table) == 2 and report.problem_count == 5000 and len(report.problems) == LISTED_PROBLEMS
    table, report = read_text(tmp_path, good + "(" * 20_000_000)
    assert len(table) == 1 and report.problem_count >= 1
    names = "".join(f"(1.0) if{n} 1A0#00\n" for n in range(300))
    _, report = read_text(tmp_path, names)
    assert len(report.lanes) == 256 and report.problem_count == 44


@given(st.binary(max_size=300))
def test_any_bytes_after_a_frame_never_crash(tmp_path_factory, data):
    table, _ = read_text(tmp_path_factory.mktemp("fuzz"), b"(1.0) can0 1A0#00\n" + data)
    assert len(table) >= 1


@pytest.mark.parametrize("content", [b"", b"hello\n", b"\x00" * 100, b"\x1f\x8b broken"])
def test_what_is_no_recording_is_refused_with_the_known_formats(tmp_path, content):
    path = tmp_path / "a.dat"
    path.write_bytes(content)
    with pytest.raises(CaptureReadError) as caught:
        read_recording(path, lambda *_: None)
    assert "SocketCAN text log" in str(caught.value) and "pcapng" in str(caught.value)


@pytest.mark.parametrize("letter", ["", " R", " T"])
@pytest.mark.parametrize("frame", ["1A0#0011", "18FF0210#AA", "7FF#", "1A0#1122334455667788"])
def test_lines_that_look_like_those_before_are_read_as_any_other(tmp_path, frame, letter):
    """From the second line on the usual form is read a quicker way; a line by itself never is."""
    line = f"(1700000000.000001) can0 {frame}{letter}\n"
    (alone, _), (many, report) = read_text(tmp_path, line), read_text(tmp_path, line * 50)
    assert report.problem_count == 0 and len(many) == 50
    assert {row(many, number) for number in range(50)} == {row(alone, 0)}
    assert row(alone, 0)[2] & (F.SENT | F.RECEIVED) == {"": 0, " R": F.RECEIVED, " T": F.SENT}[letter]


@pytest.mark.parametrize(
    ("written", "wanted"),
    [
        ("7FF", (0x7FF, 0)),
        ("800", None),
        ("1FFFFFFF", (0x1FFFFFFF, F.EXTENDED)),
        ("20000000", (0, F.ERROR)),
        ("3FFFFFFF", (0x1FFFFFFF, F.ERROR)),
        ("40000000", None),
    ],
)
def test_identifiers_go_as_far_as_their_bits(tmp_path, written, wanted):
    """Eleven bits in three digits, 29 in eight, and the bit above them is for frames about errors (SocketCAN)."""
    table, report = read_text(tmp_path, "(1.0) can0 100#\n" * 3 + f"(1.0) can0 {written}#00\n")
    assert report.problem_count == (wanted is None) and len(table) == 3 + (wanted is not None)
    if wanted is not None:
        assert row(table, 3)[1:3] == wanted
