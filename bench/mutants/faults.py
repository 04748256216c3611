"""The small faults that can be put into a file, and a sample of them."""

from __future__ import annotations

import ast
import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent
ASIDE = Path(__file__).parent / "aside.txt"
_TURNED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_SWAPPED_OPERATORS = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.FloorDiv: ast.Mult, ast.LShift: ast.RShift,
    ast.RShift: ast.LShift, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip
_ONLY_CLAIMED = frozenset({"strict", "assume_unique"})
_LARGEST_FLOAT = 1e8
"""One more or less of a larger one, as of nanoseconds in a second, is in no figure that is shown."""
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
    function
        The function that it is in, as its code calls it (``Kind.method``); empty outside of all.
    """

    file: Path
    line: int
    what: str
    source: str
    where: str = ""
    which: str = ""
    function: str = ""

    @property
    def name(self) -> str:
        """What it is called in the list of those that are set aside; by the words of its line, whose number moves."""
        return f"{self.file}: {self.what} in: {self.where}{self.which}"


class _Sites(ast.NodeVisitor):
    """Finds where faults can be put: the node, and what would stand in its place."""

    def __init__(self) -> None:
        self.found: list[tuple[ast.AST, ast.AST, str, str]] = []
        self._inside: list[str] = []

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
        elif isinstance(node.value, int) or (isinstance(node.value, float) and abs(node.value) < _LARGEST_FLOAT):
            self._add(node, ast.Constant(node.value + 1), "constant off by one")

    def visit_keyword(self, node: ast.keyword) -> None:
        # what says that something is known of the arguments steers nothing
        if node.arg not in _ONLY_CLAIMED:
            self.generic_visit(node)

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
        for part in (*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None)):
            self.visit(part)
        self._visit_inside(f"{node.name}.<locals>", node.body)

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        # what a class is declared with, such as that it is frozen, is no step of the program
        self._visit_inside(node.name, node.body)

    def visit_If(self, node: ast.If) -> None:
        if isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING":
            return
        self.generic_visit(node)

    def _visit_inside(self, name: str, body: list[ast.stmt]) -> None:
        self._inside.append(name)
        for part in body:
            self.visit(part)
        self._inside.pop()

    def _add(self, node: ast.AST, instead: ast.AST, words: str) -> None:
        self.found.append((node, instead, words, self._function()))

    def _function(self) -> str:
        """Return the innermost function that is visited; what stands in a class itself is run by none."""
        whole = ".".join(self._inside)
        return whole.removesuffix(".<locals>") if whole.endswith(".<locals>") else ""


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
    for node, instead, words, function in _sites_in(text).found:
        first, last = node.lineno, node.end_lineno or node.lineno  # type: ignore[attr-defined]
        begin, end = node.col_offset, node.end_col_offset or 0  # type: ignore[attr-defined]
        after = ast.unparse(ast.fix_missing_locations(instead))
        # columns count bytes; ast.get_source_segment would divide the whole text anew for each of hundreds
        head, tail = lines[first - 1].encode()[:begin], lines[last - 1].encode()[end:]
        stretch = "".join(lines[first - 1 : last]).encode()
        before = stretch[begin : len(stretch) - len(tail)].decode()
        expression = after if isinstance(node, ast.stmt | ast.Constant) else f"({after})"
        changed = [*lines[: first - 1], f"{head.decode()}{expression}{tail.decode()}", *lines[last:]]
        short = " ".join(before.split())
        where = lines[first - 1].strip()
        yield Fault(path, first, f"{words}: {short} → {after}", "".join(changed), where, function=function)


def sampled(folder: str, number: int, seed: int) -> list[Fault]:
    """Return faults of a folder of the program, as many of each file as it has lines for."""
    files = [path.relative_to(ROOT) for path in sorted((ROOT / folder).rglob("*.py")) if path.name != "__init__.py"]
    # only the files that faults are taken from are written out with each: that of all takes a minute
    aside = set(set_aside())
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


def set_aside() -> dict[str, str]:
    """Return the faults that change nothing anybody sees, by name, with the reason."""
    if not ASIDE.exists():
        return {}
    pairs = (line.rpartition("  # ") for line in ASIDE.read_text().splitlines() if line.strip())
    return {name.strip(): reason for name, _, reason in pairs}
