"""Compiled kernels are kept as long as nothing that was compiled into them is another one."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

CALLER = """
from zesty_abacus.core.compiled import njit

from . import parts as p
from .parts import TABLE, Way, twice

@njit(cache=True)
def reckoned(number):
    way = 1 if number > 100 else Way.SIDE
    return twice(number) + p.thrice(number) * p.FACTOR + TABLE[1] + way
"""
PARTS = """
import enum

import numpy as np

from zesty_abacus.core.compiled import njit

from .deep import once

FACTOR = 10
TABLE = np.array([0, 100])


class Way(enum.IntEnum):
    SIDE = 1000


@njit(cache=True)
def twice(number):
    return 2 * number


@njit(cache=True)
def thrice(number):
    return once(number) * 3
"""
DEEP = """
from zesty_abacus.core.compiled import njit


@njit(cache=True)
def once(number):
    return number
"""
ROOT = Path(__file__).parent.parent


@pytest.fixture
def run(tmp_path):
    """Return what writes files of a package and runs its kernel on 5: what it gives, and whether it was compiled."""
    folder = tmp_path / "sums"
    folder.mkdir()
    (folder / "__init__.py").touch()

    def run_with(**files):
        for name, text in files.items():
            (folder / f"{name}.py").write_text(text)
        code = "from sums.caller import reckoned as r; print(r(5), len(r.stats.cache_misses))"
        # no bytecode is kept: files of one length that are written in one second are the same to Python
        environment = {**os.environ, "PYTHONPATH": str(ROOT), "PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, env=environment, capture_output=True,
                              text=True, check=False)  # fmt: skip
        assert done.returncode == 0, done.stderr
        given, compiled = map(int, done.stdout.split())
        return given, bool(compiled)

    return run_with


def test_a_kernel_is_compiled_anew_when_what_it_calls_or_looks_up_in_other_files_changes(run):
    assert run(caller=CALLER, parts=PARTS, deep=DEEP) == (10 + 150 + 100 + 1000, True)
    assert run() == (1260, False), "nothing changed"
    files = {"parts": PARTS, "deep": DEEP}
    for name, before, after, wanted in (
        ("parts", "2 * number", "4 * number", 1270), ("deep", "return number", "return -number", 970),
        ("parts", "FACTOR = 10", "FACTOR = 20", 820), ("parts", "[0, 100]", "[0, 107]", 827),
        ("parts", "SIDE = 1000", "SIDE = 2000", 1827),
    ):  # fmt: skip
        files[name] = files[name].replace(before, after)
        assert run(**{name: files[name]}) == (wanted, True), (before, after)
    assert run() == (1827, False), "it is kept again"
