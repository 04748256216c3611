"""Whole commands that turn a text log into tables, beside C programs for exactly that, and what they take to hold."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from bench.codec import FIELDS
from bench.table import Line
from zesty_abacus.core.exchange.registry import WRITERS
from zesty_abacus.core.layouts.model import Applies, Layout, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places

_FRAMES = 500_000
_BARE_FRAMES = 3_000_000
"""Of frames alone: with fewer the start, which is taken off, is longer than what is measured."""
_KINDS, _MANY = 200, 2000

# What an engineer writes for one message of one log: a line at a time, digits by hand where that is quicker than
# printf, everything of the message as a constant.
_SOURCE = r"""
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
static char out[1 << 16];
static size_t used;
static void room(void) { if (used > sizeof out - 512) { fwrite(out, 1, used, stdout); used = 0; } }
static void text(const char *s) { size_t n = strlen(s); memcpy(out + used, s, n); used += n; }
static void whole(int64_t v) {
    char digits[24]; int n = 0;
    uint64_t u = v < 0 ? -(uint64_t)v : (uint64_t)v;
    do digits[n++] = '0' + u % 10; while (u /= 10);
    if (v < 0) out[used++] = '-';
    while (n) out[used++] = digits[--n];
}
static int digit(int c) { return c <= '9' ? c - '0' : (c | 32) - 'a' + 10; }
#if WHAT == 0
static void row(int64_t t, const char *field, int64_t raw, double value, const char *unit) {
    whole(t); text(",can0,256,0x100,bench,"); text(field); text(","); whole(raw); text(",");
    used += sprintf(out + used, "%.15g", value);
    text(","); text(unit); text(",,good\n"); room();
}
#endif
int main(int argc, char **argv) {
    FILE *in = fopen(argv[1], "r");
    char line[256];
    if (!in || argc < 2) return 1;
    text(WHAT ? "time_ns,lane,address,direction,flags,size,payload,words\n"
              : "time_ns,lane,address,where,message,field,raw,value,unit,label,valid\n");
    while (fgets(line, sizeof line, in)) {
        char *dot, *p;
        int64_t t = strtoll(line + 1, &dot, 10) * 1000000000, part = 100000000;
        for (p = dot + 1; *p != ')'; p++, part /= 10) t += (*p - '0') * part;
        p = strchr(p + 2, ' ') + 1;
        char *hash = strchr(p, '#');
        int64_t address = strtoll(p, 0, 16);
        unsigned char b[8] = {0}; int size = 0;
        for (p = hash + 1; p[0] > ' ' && p[1] > ' ' && size < 8; p += 2) b[size++] = digit(p[0]) << 4 | digit(p[1]);
#if WHAT
        whole(t); text(",can0,"); whole(address); text(",,,"); whole(size); text(",");
        for (int i = 0; i < size; i++) { out[used++] = "0123456789ABCDEF"[b[i] >> 4];
                                         out[used++] = "0123456789ABCDEF"[b[i] & 15]; }
        text(",0x");
        for (int i = address > 0x7FF ? 28 : 8; i >= 0; i -= 4) out[used++] = "0123456789ABCDEF"[address >> i & 15];
        text("\n"); room();
#else
        (void)address;
        uint64_t w; memcpy(&w, b, 8);
        int64_t angle = (int16_t)w, rate = (int64_t)((w >> 16 & 0xFFF) ^ 0x800) - 0x800;
        int64_t torque = (int64_t)((w >> 32 & 0xFF) << 2 | (w >> 46 & 3));
        row(t, "angle", angle, angle / 20.0, "");
        row(t, "rate", rate, rate / 10.0, "");
        row(t, "state", w >> 28 & 15, (double)(w >> 28 & 15), "");
        row(t, "torque", torque, torque / 8.0, "");
        row(t, "limited", w >> 40 & 1, (double)(w >> 40 & 1), "");
        row(t, "heat", w >> 41 & 31, (double)(w >> 41 & 31) * 2.0 - 40.0, "");
        row(t, "charge", w >> 48 & 255, (double)(w >> 48 & 255) / 2.0, "");
        row(t, "check", w >> 56, (double)(w >> 56), "");
#endif
    }
    fwrite(out, 1, used, stdout);
    return 0;
}
"""

_CODE = """
import json, sys, time
from zesty_abacus.cli.main import main
began = time.perf_counter()
try:
    main()
except SystemExit as end:
    code = end.code
status = dict(line.split(":", 1) for line in open("/proc/self/status"))
print(json.dumps([time.perf_counter() - began, int(status["VmHWM"].split()[0]) * 1024, code]), file=sys.stderr)
"""


def measure(folder: Path) -> list[Line]:
    """Measure whole commands, every file in the system's memory; the least of a few rounds."""
    library = bench_library(folder)
    lines = []
    for what, number, frames, arguments in (
        ("long CSV", 0, _FRAMES, ["decode", "--library", library, "--to", "csv"]),
        ("frames as CSV", 1, _BARE_FRAMES, ["frames", "--to", "csv"]),
        ("long JSON lines", 0, _FRAMES, ["decode", "--library", library, "--to", "jsonl"]),
    ):
        lines += _beside_c(folder, what, number, frames, arguments)
    return [*lines, *_many(folder), *_forms(folder)]


def _beside_c(folder: Path, what: str, number: int, frames: int, arguments: list) -> list[Line]:
    """Return how much longer a command takes than its C program, on one processor and on all."""
    log = folder / f"{frames}.log"
    if not log.exists():
        write_log(log, frames, 1)
    theirs = _c_seconds(folder, number, log)
    both, one = (_net_seconds(folder, log, arguments, one=one) for one in (False, True))
    made = frames / both[0] / 1e6
    lines = [Line(f"{what}: whole command of {frames // 1000} 000 frames", f"{made:.2f} M frames/s")]
    if theirs is None:
        return [*lines, Line("  against a C program", "no gcc here")]
    many, single = both[1] / theirs, one[1] / theirs
    return [
        *lines,
        Line("  its time without the start, against a C program", f"{many:.2f} x", "1.0 x", many <= 1.0),
        Line("  the same on one processor", f"{single:.2f} x", "2.0 x", single <= 2.0),
    ]


def _net_seconds(folder: Path, log: Path, arguments: list, *, one: bool) -> tuple[float, float]:
    """Return the seconds of a command, and those beyond what it takes for a single frame, each the least of a few."""
    whole = _seconds(folder, [*arguments, log], one=one)[0]
    start = _seconds(folder, [*arguments, folder / "none.log"], one=one)[0]
    return whole, max(whole - start, 1e-9)


def _many(folder: Path) -> list[Line]:
    """Return what decoding hundreds and thousands of kinds takes to hold, and how long it takes."""
    lines = []
    for kinds, frames in ((_KINDS, 340_000), (_MANY, 20_000)):
        log = folder / f"{kinds}.log"
        write_log(log, frames, kinds)
        library = _library(folder / f"of{kinds}", many_layouts(kinds))
        seconds, peak = _seconds(folder, ["decode", log, "--library", library, "--shape", "wide", "--to", "csv"], 1)
        what = f"wide CSV of {kinds} kinds, {log.stat().st_size / 1e6:.0f} MB of log"
        lines += [
            Line(f"{what}: memory", f"{peak / 1e6:.0f} MB", "300 MB", peak < 300e6),
            Line("  at", f"{(folder / 'out').stat().st_size / seconds / 1e6:.0f} MB/s written"),
        ]
    long = {}
    for kinds in (1, _MANY):
        log = folder / f"long{kinds}.log"
        write_log(log, _FRAMES, kinds)
        library = _library(folder / f"long{kinds}", many_layouts(kinds))
        long[kinds] = _seconds(folder, ["decode", log, "--library", library, "--to", "parquet", "-o", folder / "p"], 1)
    ratio = long[_MANY][0] / long[1][0]
    lines.append(Line("long Parquet of 2 000 kinds against one kind", f"{ratio:.1f} x", "3 x", ratio < 3))
    lines.append(Line("  memory", f"{long[_MANY][1] / 1e6:.0f} MB", "400 MB", long[_MANY][1] < 400e6))
    return lines


def _forms(folder: Path) -> list[Line]:
    """Return what the other forms, and rows on one clock, take beside a wide Parquet of the same frames."""
    log = folder / "forms.log"
    write_log(log, _FRAMES, 1)
    library = _library(folder / "forms", many_layouts(1))
    words = ["decode", log, "--library", library, "--shape"]
    wide, _ = _seconds(folder, [*words, "wide", "--to", "parquet", "-o", folder / "f.parquet"], 1)
    lines = []
    for form in ("arrow", "npz", "mat"):
        path = folder / f"f.{form}"
        seconds, peak = _seconds(folder, [*words, "wide", "--to", form, "-o", path], 1)
        lines += [
            Line(f"wide {form} of {_FRAMES // 1000} 000 rows against Parquet", f"{seconds / wide:.1f} x"),
            Line("  memory", f"{peak / 1e6:.0f} MB", "500 MB", peak < 500e6),
        ]
    for between in ("hold", "linear"):
        clock = [*words, "clock", "--every", "1ms", "--between", between, "--to", "parquet"]
        seconds, peak = _seconds(folder, [*clock, "-o", folder / "f.parquet"], 1)
        lines += [
            Line(f"{_FRAMES // 1000} 000 rows on one clock, {between}, against wide", f"{seconds / wide:.1f} x"),
            Line("  memory", f"{peak / 1e6:.0f} MB", "400 MB", peak < 400e6),
        ]
    book = [*words, "clock", "--every", "20ms", "--to", "xlsx", "-o", folder / "f.xlsx"]
    seconds, peak = _seconds(folder, book, 1)
    rows = _FRAMES // 20
    return [*lines, Line(f"a workbook of {rows // 1000} 000 rows", f"{rows / seconds / 1e3:.1f} k rows/s"),
            Line("  memory", f"{peak / 1e6:.0f} MB", "400 MB", peak < 400e6)]  # fmt: skip


def write_log(path: Path, frames: int, kinds: int) -> None:
    """Write a text log of 8-byte frames of many kinds in turn."""
    payload = np.random.default_rng(5).integers(0, 256, (frames, 8), np.uint8)
    with open(path, "w") as file:
        for number, row in enumerate(payload):
            address = 256 if kinds == 1 else 0x18F00000 + number % kinds
            name = f"{address:03X}" if kinds == 1 else f"{address:08X}"
            file.write(f"({1_750_000_000 + number // 1000}.{number % 1000:03}000) can0 {name}#{row.tobytes().hex()}\n")
    (path.parent / "none.log").write_text("(1.0) can0 100#00\n")


def many_layouts(kinds: int) -> list[Layout]:
    """Return a layout of eight fields for each of the kinds of such a log."""
    fields = [new_field(f"field {n}", parse_places(f"B{n}")) for n in range(8)]
    if kinds == 1:
        return [new_layout("message", Applies(address=256), 8, fields)]
    made = range(kinds)
    return [new_layout(f"message {n}", Applies(address=0x18F00000 + n, extended=True), 8, fields) for n in made]


def bench_library(folder: Path) -> Path:
    """Make a library with the one layout whose fields the C program knows."""
    return _library(folder / "one", [new_layout("bench", Applies(address=256), 8, FIELDS)])


def _library(stem: Path, layouts: list[Layout]) -> Path:
    document, library = stem.with_suffix(".json"), stem.with_suffix(".zal")
    document.write_bytes(WRITERS["json"][2](layouts).data)
    command = [sys.executable, "-m", "zesty_abacus", "library"]
    subprocess.run([*command, "new", str(library)], check=True, capture_output=True)
    subprocess.run([*command, "import", str(library), str(document)], check=True, capture_output=True)
    return library


def _seconds(folder: Path, arguments: list, rounds: int = 3, *, one: bool = False) -> tuple[float, int]:
    """Run a command in a process of its own; return the least of its times, and the most memory it held."""
    found = []
    for _ in range(rounds):
        with open(folder / "out", "wb") as out:
            command = [sys.executable, "-c", _CODE, *map(str, arguments)]
            command += ["--force"] if "-o" in arguments else []
            done = subprocess.run(
                command, stdout=out, stderr=subprocess.PIPE, check=True, text=True,
                preexec_fn=(lambda: os.sched_setaffinity(0, {0})) if one else None,
            )  # fmt: skip
        seconds, peak, code = json.loads(done.stderr.splitlines()[-1])
        assert not code, done.stderr
        found.append((seconds, peak))
    return min(seconds for seconds, _ in found), max(peak for _, peak in found)


def _c_seconds(folder: Path, number: int, log: Path) -> float | None:
    if shutil.which("gcc") is None:
        return None
    program = c_program(folder, number)
    times = []
    for _ in range(3):
        with open(folder / "c.out", "wb") as out:
            begin = time.perf_counter()
            subprocess.run([program, log], stdout=out, check=True)
            times.append(time.perf_counter() - begin)
    return min(times)


def c_program(folder: Path, number: int) -> Path:
    """Compile the C program of a table: 0 is that of values, 1 that of frames."""
    source, program = folder / f"table{number}.c", folder / f"table{number}"
    source.write_text(_SOURCE)
    subprocess.run(["gcc", "-O3", "-march=native", f"-DWHAT={number}", "-o", program, source], check=True)
    return program
