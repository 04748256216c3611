"""``./dev mutants``: puts small faults into the program one at a time, and counts how many the tests notice.

A line that is run is not yet a line that is checked. Each fault is one that changes what the program does: a
comparison turned, a constant off by one, *and* for *or*, a statement left out, two arguments swapped. They are sampled
with a seed, made in a copy of the tree, and the tests beside them are run on each: those of the same folder, and those
elsewhere that import the file by its name. What cannot change anything anybody sees is listed in ``mutants-aside.txt``,
by name and with the reason.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

ROOT = Path(__file__).parent.parent
ASIDE = Path(__file__).parent / "mutants-aside.txt"
PACKAGE, TESTS = "zesty_abacus", "tests"
_PATIENCE_S = 420
_WORDS = {True: "noticed", False: "LIVED  ", None: "unsure "}
_ALSO = {"tests/layouts": ("tests/codec",), "tests/links": ("tests/recipes",)}
"""What a part says is seen when frames are read with it."""
_TURNED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_SWAPPED_OPERATORS = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.FloorDiv: ast.Mult, ast.LShift: ast.RShift,
    ast.RShift: ast.LShift, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip
_EITHER_WAY = frozenset(("min", "max", "minimum", "maximum", "fmin", "fmax", "gcd", "lcm", "isclose", "array_equal"))
"""Calls that give the same whichever way round their arguments stand."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One small fault.

    Attributes
    ----------
    file
        From the root of the tree.
    line
    what
        In words, with the code before and after.
    source
        The whole file with the fault in it.
    where
        What stands in the line without it.
    which
        Which of the faults it is that are called alike, and of how many; empty of one that is alone.
    """

    file: Path
    line: int
    what: str
    source: str
    where: str = ""
    which: str = ""

    @property
    def name(self) -> str:
        """What it is called in the list of those that are set aside; by the words of its line, whose number moves."""
        return f"{self.file}: {self.what} in: {self.where}{self.which}"


class _Sites(ast.NodeVisitor):
    """Finds where faults can be put: the node, and what would stand in its place."""

    def __init__(self) -> None:
        self.found: list[tuple[ast.AST, ast.AST, str]] = []
        self._in_text = 0

    def visit_Compare(self, node: ast.Compare) -> None:
        for number, operator in enumerate(node.ops):
            if type(operator) in _TURNED:
                operators = list(node.ops)
                operators[number] = _TURNED[type(operator)]()
                self._add(node, ast.Compare(node.left, operators, node.comparators), "comparison turned")
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        other = ast.And() if isinstance(node.op, ast.Or) else ast.Or()
        self._add(node, ast.BoolOp(other, node.values), "and for or")
        self.generic_visit(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in _SWAPPED_OPERATORS and not isinstance(node.left, ast.JoinedStr):
            self._add(node, ast.BinOp(node.left, _SWAPPED_OPERATORS[type(node.op)](), node.right), "operator swapped")
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.Not):
            self._add(node, node.operand, "not left out")
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, bool):
            self._add(node, ast.Constant(not node.value), "yes for no")
        elif isinstance(node.value, int | float):
            self._add(node, ast.Constant(node.value + 1), "constant off by one")

    def visit_Call(self, node: ast.Call) -> None:
        plain = [place for place, one in enumerate(node.args) if not isinstance(one, ast.Starred)]
        differ = len(plain) >= 2 and ast.dump(node.args[plain[0]]) != ast.dump(node.args[plain[1]])
        if differ and not _is_either_way(node):
            arguments = list(node.args)
            arguments[plain[0]], arguments[plain[1]] = arguments[plain[1]], arguments[plain[0]]
            self._add(node, ast.Call(node.func, arguments, node.keywords), "arguments swapped")
        self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> None:
        if isinstance(node.value, ast.Constant):
            return  # a docstring
        self._add(node, ast.Pass(), "statement left out")
        self.generic_visit(node)

    def visit_AugAssign(self, node: ast.AugAssign) -> None:
        self._add(node, ast.Pass(), "statement left out")
        self.generic_visit(node)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        # types change nothing that is run
        if node.value is not None:
            self.visit(node.value)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        for part in (*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None), *node.body):
            self.visit(part)

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        # what a class is declared with, such as that it is frozen, is no step of the program
        for part in node.body:
            self.visit(part)

    def visit_If(self, node: ast.If) -> None:
        if isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING":
            return
        self.generic_visit(node)

    def _add(self, node: ast.AST, instead: ast.AST, words: str) -> None:
        self.found.append((node, instead, words))


def _is_either_way(call: ast.Call) -> bool:
    """Return whether a call means the same with its arguments swapped; with a key, it is seen which of two comes."""
    name = call.func.id if isinstance(call.func, ast.Name) else getattr(call.func, "attr", "")
    return name in _EITHER_WAY and not call.keywords


def faults_in(path: Path, root: Path = ROOT) -> list[Fault]:
    """Return every fault that can be put into a file, in the order of their lines."""
    found = sorted(_faults_in(path, root), key=lambda fault: fault.line)
    many = Counter(fault.name for fault in found)
    seen: Counter[str] = Counter()
    named = []
    for fault in found:
        seen[fault.name] += 1
        number, count = seen[fault.name], many[fault.name]
        named.append(replace(fault, which=f" ({number} of {count})") if count > 1 else fault)
    return named


def _sites_in(text: str) -> _Sites:
    sites = _Sites()
    sites.visit(ast.parse(text))
    return sites


def _faults_in(path: Path, root: Path) -> Iterator[Fault]:
    text = (root / path).read_text()
    lines = text.splitlines(keepends=True)
    for node, instead, words in _sites_in(text).found:
        first, last = node.lineno, node.end_lineno or node.lineno  # type: ignore[attr-defined]
        begin, end = node.col_offset, node.end_col_offset or 0  # type: ignore[attr-defined]
        before = ast.get_source_segment(text, node) or ""
        after = ast.unparse(ast.fix_missing_locations(instead))
        # columns count bytes
        head = lines[first - 1].encode()[:begin].decode()
        tail = lines[last - 1].encode()[end:].decode()
        expression = after if isinstance(node, ast.stmt | ast.Constant) else f"({after})"
        changed = [*lines[: first - 1], f"{head}{expression}{tail}", *lines[last:]]
        short = " ".join(before.split())
        yield Fault(path, first, f"{words}: {short} → {after}", "".join(changed), lines[first - 1].strip())


def sampled(folder: str, number: int, seed: int) -> list[Fault]:
    """Return faults of a folder of the program, as many of each file as it has lines for."""
    files = [path.relative_to(ROOT) for path in sorted((ROOT / folder).rglob("*.py")) if path.name != "__init__.py"]
    # only the files that faults are taken from are written out with each: that of all takes a minute
    aside = set(_aside())
    every = [(path, place) for path in files for place in _places_in(path, aside)]
    chosen = random.Random(seed).sample(every, min(number, len(every)))
    written = {path: faults_in(path) for path in {path for path, _ in chosen}}
    return [written[path][place] for path, place in chosen]


def _places_in(path: Path, aside: set[str]) -> Iterator[int]:
    """Yield which faults of a file may be taken, by their place among all of it."""
    if any(name.startswith(f"{path}:") for name in aside):
        yield from (place for place, fault in enumerate(faults_in(path)) if fault.name not in aside)
    else:
        yield from range(len(_sites_in((ROOT / path).read_text()).found))


def _aside() -> dict[str, str]:
    if not ASIDE.exists():
        return {}
    pairs = (line.rpartition("  # ") for line in ASIDE.read_text().splitlines() if line.strip())
    return {name.strip(): reason for name, _, reason in pairs}


def folders_of_tests(file: Path) -> list[str]:
    """Return the folders of tests that are about a file: those of its own folder, or the nearest that has some."""
    parts = file.parts[1:-1]
    parts = parts[1:] if parts[:1] in (("core",),) else parts
    for length in range(len(parts), 0, -1):
        folder = Path(TESTS, *parts[:length])
        if (ROOT / folder).is_dir():
            return [str(folder), *_ALSO.get(str(folder), ())]
    return [TESTS]


def beside(file: Path) -> list[str]:
    """Return the tests that are run for a fault in a file: those of its folders, and others that import it."""
    folders = folders_of_tests(file)
    module = ".".join(file.with_suffix("").parts)
    asks = re.compile(rf"^\s*(?:from {re.escape(module)} import|import {re.escape(module)}\b)", re.MULTILINE)
    others = []
    for path in sorted((ROOT / TESTS).rglob("test_*.py")):
        name = path.relative_to(ROOT)
        is_inside = any(name.is_relative_to(folder) for folder in folders)
        if not is_inside and asks.search(path.read_text()):
            others.append(str(name))
    return [*folders, *others]


def _copied(target: Path) -> None:
    for name in (PACKAGE, TESTS, "bench", "docs"):
        shutil.copytree(ROOT / name, target / name, ignore=shutil.ignore_patterns(".cache", "screenshots"))
    for name in ("pyproject.toml", "README.md", "requirements.lock"):
        shutil.copy(ROOT / name, target / name)


def noticed(fault: Fault, tree: Path, patience_s: float = _PATIENCE_S) -> bool | None:
    """Return whether the tests beside a fault fail with it in the tree; None if they take too long to say.

    They may hang because of it, or be many: nobody knows, so it counts for neither.
    """
    path = tree / fault.file
    whole = path.read_text()
    path.write_text(fault.source)
    environment = {**os.environ, "PYTHONPATH": str(tree), "PYTHONDONTWRITEBYTECODE": "1"}
    workers = str(len(os.sched_getaffinity(0)))
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-n", workers, "-p", "no:cacheprovider", *beside(fault.file)]
    run = subprocess.Popen(command, cwd=tree, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                           start_new_session=True)  # fmt: skip
    try:
        return run.wait(patience_s) != 0
    except subprocess.TimeoutExpired:
        # with the workers, and whatever their tests have started
        os.killpg(run.pid, signal.SIGKILL)
        run.wait()
        return None
    finally:
        path.write_text(whole)


def main() -> None:
    """Sample faults, try each, and say which were not noticed."""
    parser = argparse.ArgumentParser(
        prog="./dev mutants", description=__doc__, formatter_class=argparse.RawTextHelpFormatter
    )
    parser.add_argument("folder", nargs="?", default=f"{PACKAGE}/core")
    parser.add_argument("--number", type=int, default=20)
    parser.add_argument("--seed", type=int, default=int(time.time()) % 10_000)
    asked = parser.parse_args()
    faults = sampled(asked.folder.rstrip("/"), asked.number, asked.seed)
    found: list[bool | None] = []
    with tempfile.TemporaryDirectory(prefix="zesty-mutants-") as folder:
        tree = Path(folder)
        _copied(tree)
        for number, fault in enumerate(faults, 1):
            found.append(noticed(fault, tree))
            print(f"{number:3} {_WORDS[found[-1]]} {fault.file}:{fault.line} {fault.what}", flush=True)
    count, known = found.count(True), len(found) - found.count(None)
    unsure = f", {found.count(None)} took too long to say" if None in found else ""
    print(f"{count} of {known} noticed ({count / max(known, 1):.0%}){unsure}, seed {asked.seed}")


if __name__ == "__main__":
    main()
