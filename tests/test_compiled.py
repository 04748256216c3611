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


CALLED = "from sums.caller import reckoned as r; print(r(5), len(r.stats.cache_misses))"


@pytest.fixture
def start(tmp_path):
    """Return what writes files of a package and starts a program that uses it."""
    folder = tmp_path / "sums"
    folder.mkdir()
    (folder / "__init__.py").touch()

    def started_with(code=CALLED, **files):
        for name, text in files.items():
            (folder / f"{name}.py").write_text(text)
        # no bytecode is kept: files of one length that are written in one second are the same to Python
        environment = {**os.environ, "PYTHONPATH": str(ROOT), "PYTHONDONTWRITEBYTECODE": "1"}
        return subprocess.Popen([sys.executable, "-c", code], cwd=tmp_path, env=environment, text=True,
                                stdout=subprocess.PIPE, stderr=subprocess.PIPE)  # fmt: skip

    return started_with


def given_by(program):
    """Return what a program's kernel gave, and whether it was compiled."""
    out, error = program.communicate(timeout=100)
    assert program.returncode == 0, error
    given, compiled = map(int, out.split())
    return given, bool(compiled)


@pytest.fixture
def run(start):
    """Return what writes files of a package and runs its kernel on 5: what it gives, and whether it was compiled."""
    return lambda **files: given_by(start(**files))


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


def test_of_programs_that_start_together_one_compiles(start):
    together = [start(caller=CALLER, parts=PARTS, deep=DEEP) for _ in range(4)]
    answers = [given_by(program) for program in together]
    assert [given for given, _ in answers] == [1260] * 4
    assert sorted(compiled for _, compiled in answers) == [False, False, False, True]


def test_who_is_killed_while_it_compiles_holds_nobody_up(start):
    late = """
from numba.core.compiler import Compiler
from numba.core.compiler_machinery import PassManager
import sums.caller, time
PassManager.run = lambda *_: (print("compiles", flush=True), time.sleep(1000))
sums.caller.reckoned(5)
"""
    first = start(late, caller=CALLER, parts=PARTS, deep=DEEP)
    assert first.stdout.readline() == "compiles\n"
    second = start()
    with pytest.raises(subprocess.TimeoutExpired):
        second.wait(timeout=5)
    first.kill()
    first.communicate()
    assert given_by(second) == (1260, True)


def test_a_kernel_that_cannot_be_compiled_is_nobodys_turn_any_more(start):
    twice = """
import sums.caller
for _ in range(2):
    try:
        sums.caller.reckoned(5)
    except Exception as error:
        print(type(error).__name__)
"""
    wrong = PARTS.replace("2 * number", "2 * number + 'x'")
    both = [start(twice, caller=CALLER, parts=wrong, deep=DEEP) for _ in range(2)]
    assert [one.communicate(timeout=100)[0].split() for one in both] == [["TypingError"] * 2] * 2


def test_threads_that_need_each_others_kernels_do_not_wait_for_ever(start):
    threads = """
import threading
from sums.caller import reckoned
from sums.parts import thrice, twice
all_of = [threading.Thread(target=one, args=(5,)) for one in (reckoned, twice, thrice) * 2]
for one in all_of: one.start()
for one in all_of: one.join()
print(reckoned(5), len(reckoned.stats.cache_misses))
"""
    answers = [given_by(one) for one in [start(threads, caller=CALLER, parts=PARTS, deep=DEEP) for _ in range(3)]]
    assert [given for given, _ in answers] == [1260] * 3 and sum(compiled for _, compiled in answers) == 1
