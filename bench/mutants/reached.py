"""Which tests a fault is tried on: those that were seen to reach it, or those beside its file."""

from __future__ import annotations

import ast
import json
import os
import re
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator
from functools import cache, cached_property
from pathlib import Path
from typing import NamedTuple

from bench.mutants.faults import ROOT, Fault
from bench.mutants.recording import FOLDER_VARIABLE

TESTS = "tests"
KEPT = ROOT / ".mutants.json"
_ALSO = {"tests/layouts": ("tests/codec",), "tests/links": ("tests/recipes",)}
"""What a part says is seen when frames are read with it."""
_LONGEST_S = 150.0
"""Of many tests that reach a function, as many are run as take this long, those that run least else first."""


class Reached:
    """What was seen of each test.

    Parameters
    ----------
    ran
        Seconds, and functions as ``file:function``, by test.
    there
        The tests that there are now.
    """

    def __init__(self, ran: dict[str, tuple[float, list[str]]], there: Collection[str]) -> None:
        self._ran = {test: ran[test] for test in there if test in ran}
        self._new = [test for test in there if test not in ran]
        self._tests: dict[str, list[str]] = defaultdict(list)
        for test, (_, names) in self._ran.items():
            for name in names:
                self._tests[name].append(test)

    def tests_for(self, fault: Fault) -> list[str]:
        """Return the tests that run the function of a fault, or, of what stands in none, any of its file.

        Tests that nobody looked at yet count as such if their file imports that of the fault.
        """
        files = importing(fault.file)
        new = [test for test in self._new if test.partition("::")[0] in files]
        found = set(self._tests.get(f"{fault.file}:{fault.function}", ())) if fault.function else self._of(fault.file)
        return [*new, *self._in_time(found or self._of_callers(fault))]

    def _of(self, file: Path) -> set[str]:
        return {test for name, tests in self._tests.items() if name.startswith(f"{file}:") for test in tests}

    def _of_callers(self, fault: Fault) -> set[str]:
        """Return the tests of those who name a function that is compiled and so runs unseen, or of their callers."""
        compiled = {_Caller(fault.file, one.name, True) for one in functions_in(fault.file) if one.is_compiled}
        kernels = {one for one in compiled if one.function == fault.function} if fault.function else compiled
        asked: set[_Caller] = set()
        while kernels:
            asked |= kernels
            callers = {caller for one in kernels for caller in self._callers_of(one)}
            found = {test for caller in callers for test in self._tests.get(str(caller), ())}
            if found:
                return found
            kernels = {caller for caller in callers if caller.is_compiled} - asked
        return set()

    def _callers_of(self, kernel: _Caller) -> Iterator[_Caller]:
        """Yield the functions that name a kernel, in its own file or one that takes something from there."""
        for caller in self._callers.get(kernel.function, ()):
            if caller.file == kernel.file or kernel.file.stem in _taken_from(caller.file):
                yield caller

    @cached_property
    def _callers(self) -> dict[str, set[_Caller]]:
        """By name, the functions of the program in which it stands."""
        found: dict[str, set[_Caller]] = defaultdict(set)
        for path in sorted((ROOT / "zesty_abacus").rglob("*.py")):
            file = path.relative_to(ROOT)
            for one in functions_in(file):
                for name in one.uses:
                    found[name].add(_Caller(file, one.name, one.is_compiled))
        return found

    def _in_time(self, tests: Iterable[str]) -> Iterator[str]:
        total_s = 0.0
        for test in sorted(tests, key=lambda test: (len(self._ran[test][1]), test)):
            total_s += self._ran[test][0]
            if total_s > _LONGEST_S:
                return
            yield test


class _Caller(NamedTuple):
    file: Path
    function: str
    is_compiled: bool

    def __str__(self) -> str:
        return f"{self.file}:{self.function}"


class NamedFunction(NamedTuple):
    """A function of a file, as its code calls it, the names that stand in it, and whether it runs as machine code."""

    name: str
    uses: frozenset[str]
    is_compiled: bool


@cache
def _taken_from(file: Path) -> frozenset[str]:
    """Return the names of the modules that a file imports, or imports something from, without their packages."""
    nodes = [node for node in ast.walk(ast.parse((ROOT / file).read_text())) if isinstance(node, ast.ImportFrom)]
    modules = {(node.module or "").rpartition(".")[2] for node in nodes}
    return frozenset(modules | {one.name for node in nodes for one in node.names})


def functions_in(file: Path) -> list[NamedFunction]:
    """Return the functions of a file, those of classes among them."""

    def under(node: ast.AST, before: str) -> Iterator[NamedFunction]:
        for one in ast.iter_child_nodes(node):
            if isinstance(one, ast.FunctionDef):
                used = {part.id for part in ast.walk(one) if isinstance(part, ast.Name)}
                used |= {part.attr for part in ast.walk(one) if isinstance(part, ast.Attribute)}
                is_compiled = any("njit" in ast.unparse(how) for how in one.decorator_list)
                yield NamedFunction(f"{before}{one.name}", frozenset(used), is_compiled)
            elif isinstance(one, ast.ClassDef):
                yield from under(one, f"{before}{one.name}.")

    return list(under(ast.parse((ROOT / file).read_text()), ""))


def record() -> None:
    """Run all tests, and keep what each of them runs."""
    with tempfile.TemporaryDirectory(prefix="zesty-ran-") as folder:
        words = ["-q", "-n", str(len(os.sched_getaffinity(0)) * 3 // 2), "--dist", "worksteal"]
        environment = {**os.environ, FOLDER_VARIABLE: folder}
        command = [sys.executable, "-m", "pytest", "-p", "bench.mutants.recording", *words]
        subprocess.run(command, cwd=ROOT, env=environment, check=False)
        ran = [json.loads(path.read_text()) for path in Path(folder).glob("*.json")]
    KEPT.write_text(json.dumps(joined(ran)))


def joined(ran: list[dict[str, tuple[float, list[str]]]]) -> dict[str, tuple[float, list[str]]]:
    """Return what all processes saw of each test."""
    seconds: dict[str, float] = defaultdict(float)
    functions: dict[str, set[str]] = defaultdict(set)
    for one in ran:
        for test, (took_s, names) in one.items():
            seconds[test] += took_s
            functions[test].update(names)
    return {test: (seconds[test], sorted(functions[test])) for test in seconds}


def reached(kept: Path = KEPT) -> Reached | None:
    """Return what was recorded; None if nothing was."""
    return Reached(json.loads(kept.read_text()), _there()) if kept.exists() else None


def _there() -> list[str]:
    # said more quietly, as the project's own settings have it, only files would be listed
    command = [sys.executable, "-m", "pytest", "-o", "addopts=", "-q", "--collect-only"]
    told = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return [line for line in told.splitlines() if line.startswith(f"{TESTS}/") and "::" in line]


def folders_of_tests(file: Path) -> list[str]:
    """Return the folders of tests that are about a file: those of its own folder, or the nearest that has some."""
    parts = file.parts[1:-1]
    parts = parts[1:] if parts[:1] in (("core",),) else parts
    for length in range(len(parts), 0, -1):
        folder = Path(TESTS, *parts[:length])
        if (ROOT / folder).is_dir():
            return [str(folder), *_ALSO.get(str(folder), ())]
    return [TESTS]


def importing(file: Path) -> list[str]:
    """Return the files of tests that import a file of the program by its name."""
    module = ".".join(file.with_suffix("").parts)
    asks = re.compile(rf"^\s*(?:from {re.escape(module)} import|import {re.escape(module)}\b)", re.MULTILINE)
    paths = sorted((ROOT / TESTS).rglob("test_*.py"))
    return [str(path.relative_to(ROOT)) for path in paths if asks.search(path.read_text())]


def beside(file: Path) -> list[str]:
    """Return the tests that are near a file: those of its folders, and others that import it."""
    folders = folders_of_tests(file)
    return [*folders, *(name for name in importing(file) if not any(Path(name).is_relative_to(one) for one in folders))]
