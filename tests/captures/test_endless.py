"""What has no end, no length or no size costs no more than its own bytes, and is told."""

import io
import json
import os
import struct
import subprocess
import sys
import zipfile

import numpy as np
import openpyxl
import pytest

from tests.forked import Forked
from zesty_abacus.core.captures.registry import read_lines, read_recording
from zesty_abacus.core.captures.report import LISTED_PROBLEMS, CaptureReadError
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.exchange.sheets import read_sheets
from zesty_abacus.core.exchange.workbooks import MAX_ELEMENTS
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.validate import check_layout

HEAD = b"$timescale %s $end $var wire 1 ! a $end $enddefinitions $end\n#0 0!\n#5 1!\n"


def lines_of(tmp_path, name, data):
    path = tmp_path / name
    path.write_bytes(data)
    return read_lines(path, tmp_path / "columns")


def test_a_line_without_an_end_is_left_out_and_the_rest_is_read(tmp_path):
    rows = [b"0.%04d,%d,2\n" % (n, n % 7) for n in range(1000)]
    data = b"time,a,b\n" + b"".join(rows[:500]) + b"7" * (5 << 20) + b"\n" + b"".join(rows[500:])
    made, report = lines_of(tmp_path, "a.csv", data)
    assert len(made.channels[0].samples) == 1000
    assert [problem.reason.startswith("it has more than") for problem in report.problems] == [True]


@pytest.mark.parametrize("tail", [b"", b" !\n#7 0!\n"])
def test_a_word_without_an_end_is_left_out_and_the_rest_is_read(tmp_path, tail):
    made, report = lines_of(tmp_path, "a.vcd", HEAD % b"1 ns" + b"b" + b"1" * (3 << 20) + tail)
    assert any("is left out" in problem.reason for problem in report.problems)
    assert made.span_ns == (0, 7 if tail else 5)


def test_pulses_on_one_line_and_without_a_blank(tmp_path):
    data = b"+560 -560 " * 300_000
    made, report = lines_of(tmp_path, "a.pulses", data)
    assert made.channels[0].count >= 599_999 and not report.problems
    made, report = lines_of(tmp_path, "b.pulses", b"+560 -560 " * 50 + b"1" * (3 << 20) + b" +560 -560" * 50)
    assert 1 <= report.problem_count <= 4 and made.channels[0].count >= 199


@pytest.mark.parametrize("scale", [b"0 ns", b"00 s", b"99999999999999999999999 s", b"1000000 s"])
def test_a_timescale_that_is_none(tmp_path, scale):
    with pytest.raises(CaptureReadError, match="timescale"):
        lines_of(tmp_path, "a.vcd", HEAD % scale)


@pytest.mark.parametrize("rate", [1e-300, 0, -1, 1e300, 5e-4])
def test_a_rate_that_is_none(tmp_path, rate):
    (tmp_path / "a.sigmf-data").write_bytes(bytes(8000))
    meta = {"global": {"core:datatype": "cf32_le", "core:sample_rate": rate}, "captures": [{}], "annotations": []}
    with pytest.raises(CaptureReadError, match="sample_rate"):
        lines_of(tmp_path, "a.sigmf-meta", json.dumps(meta).encode())


@pytest.mark.parametrize("value", [1e308, np.inf, -np.inf, np.nan, 3e38])
def test_samples_beyond_all_numbers_are_read(tmp_path, value):
    for bits in (32, 64):
        with np.errstate(over="ignore"):
            data = np.array([value, 0, -value, 1] * 500).astype(f"<f{bits // 8}").tobytes()
        form = struct.pack("<IHHIIHH", 16, 3, 1, 1000, 1000 * bits // 8, bits // 8, bits)
        head = b"RIFF" + struct.pack("<I", 36 + len(data)) + b"WAVEfmt " + form + b"data" + struct.pack("<I", len(data))
        made, _ = lines_of(tmp_path, f"{bits}.wav", head + data)
        samples = made.channels[0].samples.with_ranges()
        assert len(samples) == 2000 and sum(len(part) for _, part in samples.chunks()) == 2000


def test_empty_packets_are_counted_and_take_no_room(tmp_path):
    many = 300_000
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 1)
    path = tmp_path / "a.pcap"
    path.write_bytes(head + struct.pack("<IIII", 1, 0, 0, 0) * many)
    report = read_recording(path, lambda *_: pytest.fail("there are no frames"))
    assert report.problem_count == many and len(report.problems) == LISTED_PROBLEMS
    assert report.problems[0].reason == "the packet is empty"


def test_no_kernel_writes_beyond_its_room(tmp_path):
    """The densest files of each format, with every index checked: a wrong one would corrupt memory in silence.

    Kernels run as the Python that they are written in, since compiling them once more with checks takes a minute.
    """
    checked = subprocess.run(
        [sys.executable, "-m", "tests.captures.dense_process", str(tmp_path)], capture_output=True, text=True,
        env=os.environ | {"NUMBA_DISABLE_JIT": "1"}, timeout=600, check=False,
    )  # fmt: skip
    assert checked.returncode == 0, checked.stderr[-2000:]
    compiled = Forked("tests.captures.dense_process", [str(tmp_path)], tmp_path / "said")
    assert compiled.wait() == 0
    assert compiled.lines() == checked.stdout.splitlines() and len(compiled.lines()) == 40


def test_a_workbook_of_millions_of_words_is_refused(tmp_path):
    book, made, out = openpyxl.Workbook(), io.BytesIO(), io.BytesIO()
    book.active["A1"] = "x"
    book.save(made)
    with zipfile.ZipFile(made) as source, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        for entry in source.infolist():
            if entry.filename != "xl/sharedStrings.xml":
                target.writestr(entry, source.read(entry))
        target.writestr("xl/sharedStrings.xml", b"<sst>" + b"<si/>" * MAX_ELEMENTS + b"</sst>")
    with pytest.raises(ExchangeError, match="elements"):
        read_sheets(out.getvalue(), "a.xlsx")


def test_fields_that_all_overlap_are_told_in_few_words():
    fields = [new_field(f"f{n}", parse_places("B0")) for n in range(3000)]
    problems = check_layout(new_layout("big", Applies(protocol="serial", address=1), 8, fields))
    assert len(problems) < 300 and "overlap" in problems[-1].sentence
