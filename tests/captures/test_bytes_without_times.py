"""Bytes stored without times: as dump tools write them, a line a message, or nothing but bytes in a file."""

from __future__ import annotations

import shutil
import subprocess
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.captures.laid_out import LaidOut
from zesty_abacus.core.captures.registry import read_recording, recognise
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.frames.flags import CUT_SHORT
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.telegrams import LengthFraming
from zesty_abacus.core.recipes.model import Recipe, SourcePattern
from zesty_abacus.core.recipes.propose import propose_for_frames
from zesty_abacus.core.trial.intake import SourceRequest, bring_in, frames_of_source

BYTE_NS = 10 * 10**9 // 9600
DATA = bytes((n * 37 + n // 7) % 256 for n in range(1000))


def read(path):
    """Return (time, flags, payload) of each piece, and the report."""
    found = []

    def take(table, _lanes):
        table.check()
        found.extend(
            (int(table.time_ns[row]), int(table.flags[row]), table.payload_of(row)) for row in range(len(table))
        )

    return found, read_recording(path, take)


def listed(report):
    return [(problem.place, problem.reason) for problem in report.problems]


def rows_of(data, width=16):
    return [(at, data[at : at + width]) for at in range(0, len(data), width)]


def letters(row):
    return "".join(chr(byte) if 32 <= byte < 127 else "." for byte in row)


DUMPS = {
    "two halves and bars": lambda at, row: f"{at:08x}  {row[:8].hex(' ')}  {row[8:].hex(' ')}  |{letters(row)}|",
    "groups of two": lambda at, row: f"{at:08x}: {row.hex(' ', -2)}  {letters(row)}",
    "large digits": lambda at, row: f"{at:04X}   {row.hex(' ').upper()}   {letters(row)}",
    "bytes alone": lambda at, row: f"{at:07o} {row.hex(' ')}",
}


@pytest.mark.parametrize("form", DUMPS)
@given(data=st.binary(min_size=40, max_size=400))
def test_a_dump_is_the_bytes_it_was_made_of(tmp_path_factory, form, data):
    data = data + b"\xab\xcd\xef" * 40
    path = tmp_path_factory.mktemp("dump") / "a.txt"
    path.write_text("".join(DUMPS[form](at, row) + "\n" for at, row in rows_of(data)))
    assert recognise(path) == "hex dump"
    found, report = read(path)
    assert b"".join(piece for _, _, piece in found) == data and report.problem_count == 0
    assert [at for at, _, _ in found] == [place * BYTE_NS for place, _ in rows_of(data)]
    assert report.holds_bytes
    assert report.facts == [("times", "none in the file: its lines lie one behind the other, at 9 600 bits/s")]


@pytest.mark.parametrize(
    "command", [["xxd"], ["xxd", "-u", "-g1"], ["hexdump", "-Cv"], ["od", "-v", "-t", "x1"],
                ["od", "-v", "-A", "x", "-t", "x1z"]],
)  # fmt: skip
def test_what_tools_print_is_read(tmp_path, command):
    if shutil.which(command[0]) is None:
        pytest.skip(f"there is no {command[0]} here")
    (tmp_path / "port").write_bytes(DATA)
    out = subprocess.run([*command, tmp_path / "port"], capture_output=True, check=True).stdout
    (tmp_path / "a.txt").write_bytes(out)
    found, report = read(tmp_path / "a.txt")
    assert b"".join(piece for _, _, piece in found) == DATA and listed(report) == []


def test_lines_that_a_dump_leaves_out_are_told(tmp_path):
    rows = [DUMPS["two halves and bars"](at, row) for at, row in rows_of(DATA)]
    (tmp_path / "a.txt").write_text("\n".join([*rows[:20], "*", *rows[22:], "000003e8"]) + "\n")
    found, report = read(tmp_path / "a.txt")
    assert b"".join(piece for _, _, piece in found) == DATA[:320] + DATA[352:]
    assert listed(report) == [("line 21", "the dump leaves out lines that are like the one before; let it write all")]


@pytest.mark.parametrize("apart", [" ", "", ", ", ":", "-"])
def test_a_line_of_bytes_is_a_piece_with_a_pause_behind_it(tmp_path, apart):
    pieces = [bytes([0xA0 + n, n, 7]) for n in range(20)]
    path = tmp_path / "a.txt"
    path.write_text("".join(apart.join(f"{byte:02x}" for byte in piece) + "\n" for piece in pieces))
    found, report = read(path)
    assert [piece for _, _, piece in found] == pieces and report.problem_count == 0
    assert [at for at, _, _ in found] == [n * (3 + 20) * BYTE_NS for n in range(20)]


def test_broken_lines_are_listed_with_their_numbers(tmp_path):
    lines = [f"a{n % 10} {n:02x}" for n in range(40)]
    lines[7], lines[9], lines[20] = "a7 0g", "", "a1 02 3"
    (tmp_path / "a.txt").write_text("\n".join(lines) + "\n")
    found, report = read(tmp_path / "a.txt")
    assert len(found) == 37
    assert listed(report) == [("line 8", "it is no bytes in hex"), ("line 21", "it is no bytes in hex")]


@pytest.mark.parametrize(
    "text",
    [
        "12 34 56\n" * 20,  # digits alone are numbers
        "decade\nfacade\n",  # nearly: words of letters a to f are bytes, so both lines are
        "00000000 zz 41\n00000010 4a 4b\n",
        "ab\n",
    ],
)
def test_what_is_no_dump(tmp_path, text):
    (tmp_path / "a.txt").write_text(text)
    assert (recognise(tmp_path / "a.txt") == "hex dump") == text.startswith("decade")


@pytest.mark.parametrize("name", ["port.bin", "port.raw", "port.dump.gz"])
def test_a_file_of_bytes_is_known_by_its_name(tmp_path, name):
    import gzip

    data = bytes(range(256)) * 5 + b"end"
    path = tmp_path / name
    path.write_bytes(gzip.compress(data) if name.endswith("gz") else data)
    assert recognise(path) == "raw bytes"
    found, report = read(path)
    assert b"".join(piece for _, _, piece in found) == data
    assert [at for at, _, _ in found] == [place * BYTE_NS for place, _ in rows_of(data)]
    assert report.holds_bytes
    assert report.facts == [("times", "none in the file: its bytes lie one behind the other, at 9 600 bits/s")]


@pytest.mark.parametrize("data", [b"$A,1*00\r$A,2*03\r$A,3*02\r" * 3, b"\xff\xfeab\x00c" * 9, b"\xfe\xff\xd8\x00"])
def test_bytes_stay_what_they_are_also_where_they_look_like_text_of_another_system(tmp_path, data):
    (tmp_path / "port.bin").write_bytes(data)
    found, report = read(tmp_path / "port.bin")
    assert (report.format_name, b"".join(piece for _, _, piece in found)) == ("raw bytes", data)


def test_a_name_says_nothing_where_the_content_does(tmp_path):
    (tmp_path / "a.bin").write_text("(1.0) can0 1A0#01\n" * 20)
    assert recognise(tmp_path / "a.bin") == "SocketCAN text log"
    (tmp_path / "b.dat").write_bytes(bytes(range(256)))
    (tmp_path / "c.bin").write_bytes(b"")
    for name in ("b.dat", "c.bin"):
        assert recognise(tmp_path / name) == ""
        with pytest.raises(CaptureReadError):
            read(tmp_path / name)


@pytest.mark.parametrize("stored", ["bin", "txt"])
def test_how_a_reader_cut_bytes_apart_is_no_silence(tmp_path, stored):
    """A file of bytes is read in pieces of 16, a dump by its lines; a wire would have carried them without a pause."""
    data = bytes(number * 7 % 251 for number in range(403))
    path = tmp_path / f"sent.{stored}"
    rows = (f"{at:08x}  {data[at : at + 16].hex(' ')}" for at in range(0, len(data), 16))
    path.write_bytes(data if stored == "bin" else "\n".join(rows).encode())
    source, framing = SourcePattern(file=path.name), LengthFraming(length=20)
    recipe = Recipe(id=uuid4(), name="twenty", source=source, framing=framing)
    made = bring_in([SourceRequest(path, recipe=recipe)], tmp_path / "frames")
    frames = made.capture.frames.table(np.arange(len(made.capture)))
    assert [frames.payload_of(row) for row in range(len(frames))] == [data[at : at + 20] for at in range(0, 403, 20)]
    assert [bool(flags & CUT_SHORT) for flags in frames.flags.tolist()] == [False] * 20 + [True]
    pieces, report = frames_of_source(SourceRequest(path))
    assert "silent gap" not in {one.recipe.framing and framing_of(one.recipe.framing).name
                                for one in propose_for_frames(path, report, pieces)}  # fmt: skip


def test_times_go_on_from_piece_to_piece():
    import numpy as np

    laid = LaidOut(9600, pause_bytes=2)
    assert laid.times(np.array([3, 1], np.uint32)).tolist() == [0, 5 * BYTE_NS]
    assert laid.times(np.array([], np.uint32)).tolist() == []
    assert laid.times(np.array([1], np.uint32)).tolist() == [8 * BYTE_NS]


def test_what_is_of_no_format_is_told_how_bytes_are_read(tmp_path):
    (tmp_path / "a.txt").write_text("hello there\nstate ok\n")
    with pytest.raises(CaptureReadError) as told:
        read(tmp_path / "a.txt")
    assert told.value.hint.endswith(
        "What a port gave and nothing else is read from files that end in .bin, .raw, .dump."
    )
    (tmp_path / "b.txt").write_bytes(b"")
    with pytest.raises(CaptureReadError, match=r"the file is empty\. Known are: [^.]*\.$"):
        read(tmp_path / "b.txt")
