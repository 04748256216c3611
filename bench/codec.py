"""Decoding eight fields of 8-byte frames, against the same loop in C."""

from __future__ import annotations

import ctypes
import shutil
import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.kernels.bits import decode_numbers
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

FRAMES = 2_000_000
FIELDS = [
    new_field("angle", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20)),
    new_field("rate", at("B3[3..0] B2"), FieldKind.SIGNED, ratio=Fraction(1, 10)),
    new_field("state", at("B3[7..4]")),
    new_field("torque", at("B4 B5[7..6]"), ratio=Fraction(1, 8)),
    new_field("limited", at("B5[0]"), FieldKind.FLAG),
    new_field("heat", at("B5[5..1]"), ratio=Fraction(2), offset=Fraction(-40)),
    new_field("charge", at("B6"), ratio=Fraction(1, 2)),
    new_field("check", at("B7")),
]

# The loop a careful engineer would write by hand for exactly this message: constants in place, one pass,
# the same raw and scaled columns.
SOURCE = r"""
#include <stdint.h>
#include <string.h>
#include <stddef.h>
void decode(const uint8_t *frames, size_t n, int64_t *raw, double *value) {
    for (size_t i = 0; i < n; i++) {
        uint64_t w;
        memcpy(&w, frames + 8 * i, 8);
        int64_t angle = (int16_t)(w & 0xFFFF);
        int64_t rate = (int64_t)((w >> 16 & 0xFFF) ^ 0x800) - 0x800;
        int64_t torque = (int64_t)((w >> 32 & 0xFF) << 2 | (w >> 46 & 3));
        int64_t heat = (int64_t)(w >> 41 & 31);
        int64_t charge = (int64_t)(w >> 48 & 0xFF);
        raw[i] = angle;
        raw[n + i] = rate;
        raw[2 * n + i] = (int64_t)(w >> 28 & 15);
        raw[3 * n + i] = torque;
        raw[4 * n + i] = (int64_t)(w >> 40 & 1);
        raw[5 * n + i] = heat;
        raw[6 * n + i] = charge;
        raw[7 * n + i] = (int64_t)(w >> 56);
        value[i] = (double)angle / 20.0;
        value[n + i] = (double)rate / 10.0;
        value[2 * n + i] = (double)torque / 8.0;
        value[3 * n + i] = (double)heat * 2.0 - 40.0;
        value[4 * n + i] = (double)charge / 2.0;
    }
}
"""


def measure(folder: Path) -> list[Line]:
    """Measure decoding."""
    matrix = np.random.default_rng(1).integers(0, 256, (FRAMES, 8), dtype=np.uint8)
    plan = compile_layout(new_layout("bench", Applies(address=1), 8, FIELDS))
    ours = best(lambda: decode_numbers(matrix, plan.fixed.steps))
    single = best(lambda: decode_numbers(matrix, plan.fixed.steps, threads=1))
    lines = [Line("decode 8 fields of 8-byte frames", f"{FRAMES / ours / 1e6:.1f} M frames/s")]
    loop = _compiled_loop(folder, matrix)
    if loop is None:
        return [*lines, Line("decode against the same loop in C", "no gcc here")]
    run, raw, value = loop
    theirs = best(run)
    found_raw, found_value = decode_numbers(matrix, plan.fixed.steps)
    assert (found_raw.view(np.int64) == raw).all() and (found_value == value).all(), "both say the same"
    ratio = theirs / ours
    return [
        *lines,
        Line("  against the same loop in C (gcc -O3, one thread)", f"{ratio:.2f} x", "1.0 x", ratio >= 1.0),
        Line("  the same with one thread of ours", f"{theirs / single:.2f} x"),
    ]


def _compiled_loop(folder: Path, matrix: np.ndarray):  # type: ignore[no-untyped-def]
    """Compile the C loop; return (a call that allocates and fills both outputs, the last outputs)."""
    if shutil.which("gcc") is None:
        return None
    (folder / "loop.c").write_text(SOURCE)
    library = folder / "loop.so"
    command = ["gcc", "-O3", "-march=native", "-shared", "-fPIC", "-o", str(library), str(folder / "loop.c")]
    subprocess.run(command, check=True)
    function = ctypes.CDLL(str(library)).decode
    function.argtypes = [ctypes.c_void_p, ctypes.c_size_t, ctypes.c_void_p, ctypes.c_void_p]
    kept_raw = np.empty((8, len(matrix)), np.int64)
    kept_value = np.empty((5, len(matrix)), np.float64)
    function(matrix.ctypes.data, len(matrix), kept_raw.ctypes.data, kept_value.ctypes.data)

    def run() -> None:
        # fresh outputs each time, as the other side has them
        raw = np.empty((8, len(matrix)), np.int64)
        value = np.empty((5, len(matrix)), np.float64)
        function(matrix.ctypes.data, len(matrix), raw.ctypes.data, value.ctypes.data)

    return run, kept_raw, kept_value
