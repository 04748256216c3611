"""What leaves: generated C beside decoding, an archive by one process and by two, readings to a local server."""

from __future__ import annotations

import gzip
import http.server
import json
import resource
import socket
import subprocess
import sys
import threading
import time
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.generate.folder import write_folder
from zesty_abacus.core.generate.languages.registry import language_named
from zesty_abacus.core.generate.project import Project
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.origin import Origin

_FRAMES = 2_000_000
_COMMAND = [sys.executable, "-m", "zesty_abacus"]
_MAIN = """
#include "b.h"
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
int main(void)
{
    static uint8_t data[8U * %(frames)dU];
    struct timespec from, to;
    struct b_eight one;
    double total = 0.0;
    size_t k;
    for (k = 0U; k < sizeof data; k++)
        data[k] = (uint8_t)(k * 2654435761U >> 13);
    clock_gettime(CLOCK_MONOTONIC, &from);
    for (k = 0U; k < %(frames)dU; k++)
        if (b_eight_unpack(&one, data + 8U * k, 8U) == B_OK)
            total += %(sum)s;
    clock_gettime(CLOCK_MONOTONIC, &to);
    printf("%%.9f %%.3f\\n", (double)(to.tv_sec - from.tv_sec) + (double)(to.tv_nsec - from.tv_nsec) * 1e-9, total);
    return 0;
}
"""


def measure(folder: Path) -> list[Line]:
    """Measure all three."""
    return [*_generated(folder / "code"), *_archive(folder / "archive"), *_forwarded(folder / "archive")]


def _output(words: list[str]) -> str:
    return subprocess.run(words, capture_output=True, text=True, check=True).stdout


def _generated(folder: Path) -> list[Line]:
    """Measure unpacking and the values of 8 fields of 8 bytes, on one thread, beside the kernel on all of them."""
    kinds = FieldKind.UNSIGNED, FieldKind.SIGNED
    fields = [new_field(f"f{n}", parse_places(f"B{n}"), kinds[n % 2], ratio=Fraction(1, 10)) for n in range(8)]
    layout = new_layout("eight", Applies(address=1), 8, fields)
    made = language_named("c").make(Project.of([layout], Origin("b", "b", 1), prefix="b"))
    write_folder(folder, made)
    values = " + ".join(f"b_eight_f{n}(&one)" for n in range(8))
    (folder / "main.c").write_text(_MAIN % {"frames": _FRAMES, "sum": values})
    subprocess.run(["gcc", "-O2", "-D_GNU_SOURCE", "b.c", "main.c", "-o", "run", "-lm"], cwd=folder, check=True)
    seconds = min(float(_output([str(folder / "run")]).split()[0]) for _ in range(5))
    matrix = np.random.default_rng(1).integers(0, 256, (_FRAMES, 8), np.uint8)
    sizes, plan = np.full(_FRAMES, 8, np.uint32), compile_layout(layout)
    own = best(lambda: decode(plan, matrix, sizes))
    return [
        Line("generated C: unpack and values of 8 fields, one thread", f"{_FRAMES / seconds / 1e6:.1f} M frames/s"),
        Line("  against decoding on all processors", f"{own / seconds:.2f} x"),
    ]


def _archive(folder: Path) -> list[Line]:
    """Measure an archive decoded by one process and by two: processor time tells what sharing costs."""
    (folder / "runs").mkdir(parents=True)
    subprocess.run([*_COMMAND, "demo", str(folder / "trial"), "--length", "5min"], capture_output=True, check=True)
    library, log = folder / "trial" / "library.sqlite", folder / "trial" / "thruster.log.gz"
    text = gzip.decompress(log.read_bytes())
    for number in range(6):
        # other recordings by their content: each begins some frames later
        rest = text.split(b"\n", number)[-1]
        (folder / "runs" / f"{number}-thruster.log.gz").write_bytes(gzip.compress(rest, 1))
    subprocess.run([*_COMMAND, "archive", "add", str(folder / "runs"), "--library", str(library)],
                   capture_output=True, check=True)  # fmt: skip
    taken: dict[int, tuple[float, float]] = {}
    said: dict[str, int] = {}
    for workers in (1, 2):
        before, began = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
        words = ["--library", str(library), "-o", str(folder / f"set {workers}"), "--workers", str(workers)]
        done = _output([*_COMMAND, "archive", "decode", *words])
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        taken[workers] = time.perf_counter() - began, after.ru_utime - before.ru_utime
        said = json.loads(done.splitlines()[-1])
    share = taken[1][1] / taken[2][1]
    return [
        Line(f"archive: {said['frames']:,} frames into a dataset, two processes", f"{taken[2][0]:.1f} s"),
        Line("  against one process, start included", f"{taken[1][0] / taken[2][0]:.2f} x"),
        Line("  processor time of one beside two", f"{share:.2f} x", "0.9 x", share >= 0.9),
    ]


def _forwarded(folder: Path) -> list[Line]:
    """Measure readings a second to a web server of this machine, each kept on disk before it is sent."""
    count = 0

    class Handler(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_POST(self) -> None:
            nonlocal count
            self.rfile.read(int(self.headers["Content-Length"]))
            count += 1
            self.send_response(204)
            self.end_headers()

        def log_message(self, *_words: object) -> None:
            return

    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = http.server.ThreadingHTTPServer(("127.0.0.1", port), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    began = time.perf_counter()
    subprocess.run([*_COMMAND, "forward", str(folder / "trial" / "thruster.log.gz"), "--library",
                    str(folder / "trial" / "library.sqlite"), "--to", f"http://127.0.0.1:{port}/", "--fields",
                    "Helm lever.lever port=port", "--at-most", "100ms", "--queue", str(folder / "queue")],
                   capture_output=True, check=True)  # fmt: skip
    server.shutdown()
    rate = count / (time.perf_counter() - began)
    return [Line(f"forward: {count:,} readings by HTTP, one after the other", f"{rate:,.0f} a second")]
