import gzip

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.captures.frame_file import write_frames
from tests.strategies import frame_tables
from zesty_abacus.core.captures.frame_csv import FORMAT as FRAME_TABLE
from zesty_abacus.core.captures.output import ByteOutput, CaptureWriteError
from zesty_abacus.core.captures.registry import formats, open_writer, read_recording, recognise, writable_formats
from zesty_abacus.core.captures.report import LISTED_PROBLEMS, CaptureReadError, ReadReport
from zesty_abacus.core.captures.room import FrameRoom
from zesty_abacus.core.captures.source import CHUNK, ByteSource, bare_name
from zesty_abacus.core.progress import Cancelled, Progress

BEGINNINGS = (b"\x1f\x8b", b"\x28\xb5\x2f\xfd", b"\xff\xfe", b"\xfe\xff")
"""What says that a file is compressed, or text in UTF-16."""


def content_of(path, size=1000):
    """Read a source whole; return (bytes, report)."""
    report = ReadReport("test")
    with ByteSource(path) as source:
        head = source.head(100)
        data = b"".join(source.chunks(report, Progress(), size))
    assert data.startswith(head)
    return data, report


@given(st.binary(max_size=5000), st.integers(1, 3000))
def test_plain_bytes_come_in_order_whatever_the_chunk(tmp_path_factory, data, size):
    path = tmp_path_factory.mktemp("source") / "a.bin"
    path.write_bytes(data)
    found, report = content_of(path, size)
    if not data.startswith(BEGINNINGS) and data.count(b"\r") < 3:
        assert found == data and report.problems == []


@pytest.mark.parametrize("suffix", ["gz", "zst", "bin"])
@given(st.binary(max_size=3000))
def test_what_is_written_compressed_is_read_back(tmp_path_factory, suffix, data):
    path = tmp_path_factory.mktemp("source") / f"a.{suffix}"
    output = ByteOutput(path)
    output.write(data)
    output.close()
    if suffix == "bin" and (data.startswith(BEGINNINGS) or data.count(b"\r") > 2):
        return
    assert content_of(path)[0] == data


def test_compression_is_known_by_content_not_by_name(tmp_path):
    path = tmp_path / "a.log"
    path.write_bytes(gzip.compress(b"hello" * 1000))
    with ByteSource(path) as source:
        assert source.is_compressed and source.head(5) == b"hello"


@pytest.mark.parametrize("encoding", ["utf-16-le", "utf-16-be"])
@given(st.text(max_size=3000), st.integers(1, 50))
def test_text_in_utf_16_is_read_as_utf_8(tmp_path_factory, encoding, text, size):
    path = tmp_path_factory.mktemp("source") / "a.txt"
    path.write_bytes(("\ufeff" + text).encode(encoding, "surrogatepass"))
    if not text.startswith("\0"):
        assert content_of(path, size)[0].decode() == text


def test_half_a_character_at_the_end_and_utf_32_are_no_reason_to_stop(tmp_path):
    (tmp_path / "a.txt").write_bytes(b"\xff\xfea\x00b\x00c")
    assert content_of(tmp_path / "a.txt")[0] == "ab\ufffd".encode()
    (tmp_path / "b.txt").write_bytes("\ufeffab".encode("utf-32-le"))
    assert content_of(tmp_path / "b.txt")[0] == "\ufeffab".encode("utf-32-le")


@pytest.mark.parametrize("encoding", ["utf-16", "cr"])
def test_tables_and_logs_of_other_systems_are_read(tmp_path, encoding):
    texts = {
        "frame table": "time,id,data\n" + "".join(f"{n}.5,0x1A0,{n % 256:02X}\n" for n in range(3000)),
        "SocketCAN text log": "".join(f"({n}.500000) can0 1A0#{n % 256:02X}\n" for n in range(3000)),
        "text lines": "".join(f"{n}.5 depth {n} m\n" for n in range(3000)),
        "JSON lines": "".join(f'{{"time": {n}.5, "id": 416, "data": "{n % 256:02X}"}}\n' for n in range(3000)),
    }
    for name, text in texts.items():
        data = text.replace("\n", "\r").encode() if encoding == "cr" else text.encode(encoding)
        (tmp_path / "a.txt").write_bytes(data)
        tables = []
        report = read_recording(tmp_path / "a.txt", lambda table, _lanes, kept=tables: kept.append(table))
        assert (report.format_name, report.problem_count, report.frames) == (name, 0, 3000), name
        assert sorted(at for table in tables for at in table.time_ns.tolist())[::2999] == [
            500_000_000,
            2999_500_000_000,
        ]


def test_several_gzip_members_are_one_stream(tmp_path):
    path = tmp_path / "a.gz"
    path.write_bytes(gzip.compress(b"one ") + gzip.compress(b"two"))
    assert content_of(path)[0] == b"one two"


def test_a_bomb_is_read_in_small_pieces(tmp_path):
    """A compressed gigabyte of zeros never stands in memory whole: chunks stay small."""
    path = tmp_path / "bomb.gz"
    with gzip.open(path, "wb", compresslevel=1) as file:
        for _ in range(64):
            file.write(bytes(1 << 20))
    before = pa.total_allocated_bytes()
    report = ReadReport("test")
    with ByteSource(path) as source:
        sizes = [len(chunk) for chunk in source.chunks(report, Progress())]
    assert sum(sizes) == 64 << 20 and max(sizes) <= CHUNK
    assert pa.total_allocated_bytes() - before < 8 << 20


def test_progress_follows_the_file_and_cancel_stops(tmp_path):
    path = tmp_path / "a.bin"
    path.write_bytes(bytes(10_000))
    shares = []
    with ByteSource(path) as source:
        list(source.chunks(ReadReport("t"), Progress(lambda share, _note: shares.append(share)), 1000))
    assert shares == sorted(shares) and shares[-1] == 1.0
    progress = Progress()
    with ByteSource(path) as source, pytest.raises(Cancelled):
        for _ in source.chunks(ReadReport("t"), progress, 1000):
            progress.cancel()


@pytest.mark.parametrize(
    ("name", "bare"), [("a.log", "a.log"), ("a.log.gz", "a.log"), ("a.pcapng.ZST", "a.pcapng"), ("gz", "gz")]
)
def test_names_without_their_compression(tmp_path, name, bare):
    assert bare_name(tmp_path / name) == bare


def test_problems_are_counted_without_end_and_listed_up_to_a_bound():
    report = ReadReport("test")
    for number in range(LISTED_PROBLEMS + 50):
        report.add_problem(f"line {number}", "broken")
    assert report.problem_count == LISTED_PROBLEMS + 50 and len(report.problems) == LISTED_PROBLEMS


def test_room_grows_when_it_must_and_is_kept_when_it_fits():
    room = FrameRoom(1000, 10, 5)
    assert room.enough_for(900) is room
    larger = room.enough_for(5000)
    assert larger is not room and len(larger.time_ns) > 500 and larger.enough_for(6000) is larger
    room.size[:2], room.start[:2], room.payload[:3] = [1, 2], [0, 1], [7, 8, 9]
    table = room.table(2, 3)
    room.payload[:3] = 0
    assert table.payload_of(0) + table.payload_of(1) == bytes([7, 8, 9]), "a table is a copy"


@pytest.mark.parametrize("name", ["a.log", "a.pcap", "a.pcapng"])
def test_writing_to_nowhere_is_one_sentence(tmp_path, name):
    with pytest.raises(CaptureWriteError, match="cannot be written"):
        open_writer(tmp_path / "no" / name, ["a"])


@given(frame_tables(lanes=1))
def test_formats_do_not_take_each_other_for_theirs(tmp_path_factory, table):
    if not len(table):
        return
    folder = tmp_path_factory.mktemp("formats")
    table = type(table)(table.time_ns % (4 * 10**18), *(getattr(table, n) for n in table.__slots__[1:]))
    for format_ in (*writable_formats(), FRAME_TABLE):
        path = folder / f"a{format_.suffixes[0]}"
        # a line of timed bytes without bytes says nothing, so it has none
        count = int((table.size > 0).sum()) if format_.name == "timed bytes" else len(table)
        if not count:
            continue
        if format_ is FRAME_TABLE:
            write_frames(path, table, ["can0"])
        else:
            writer = open_writer(path, ["can0"])
            writer.append(table)
            writer.close()
        assert recognise(path) == format_.name
        special = [other for other in formats() if not getattr(other, "comes_last", False)]
        assert [other.name for other in special if other.sniff(path.read_bytes()[:4096])] == [format_.name]
        names = []
        report = read_recording(path, lambda chunk, lanes, names=names: names.append(list(lanes)))
        assert report.format_name == format_.name and report.frames == count
        assert names[-1] == report.lanes == ([""] if format_.name in ("pcap", "timed bytes") else ["can0"])


def test_an_unreadable_file_says_why(tmp_path):
    with pytest.raises(CaptureReadError, match="this is a folder"):
        read_recording(tmp_path, lambda *_: None)
    with pytest.raises(CaptureReadError, match="cannot be opened"):
        read_recording(tmp_path / "none", lambda *_: None)


def test_a_chunk_of_one_format_keeps_its_lanes_apart(tmp_path):
    path = tmp_path / "a.log"
    path.write_text("(1.0) b 100#01\n(2.0) a 100#02\n(3.0) b 100#03\n")
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    assert report.lanes == ["b", "a"] and list(np.concatenate([c.lane for c in chunks])) == [0, 1, 0]
