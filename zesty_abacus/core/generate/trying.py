"""Tries generated code where it was written: built and run with the payloads that lie beside it."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

from .manifest import Manifest

_STRICT = ("-std=c99", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Wshadow", "-Werror")
_PATIENCE_S = 300
_MOST_LINES = 12

_RUN_PYTHON = """
import importlib, sys
sys.path.insert(0, {folder!r})
module = importlib.import_module({name!r})
tests = [one for name, one in sorted(vars(module).items()) if name.startswith("test_")]
bad = []
for one in tests:
    try:
        one()
    except AssertionError as error:
        bad.append(one.__name__)
sys.stdout.write("\\n".join([f"{{len(bad)}} of {{len(tests)}} differ", *bad, ""]))
"""


@dataclass(frozen=True, slots=True)
class Tried:
    """How it went.

    Attributes
    ----------
    is_good
        None where it could not be tried here.
    words
        A sentence.
    details
        What was wrong, line by line.
    """

    is_good: bool | None
    words: str
    details: tuple[str, ...] = ()


def try_code(folder: Path, manifest: Manifest) -> Tried:
    """Build and run what was written into a folder."""
    try:
        trial = _TRIALS.get(manifest.language)
        return trial(folder, manifest) if trial is not None else Tried(None, _ELSEWHERE)
    except subprocess.TimeoutExpired:
        return Tried(False, f"It was not done within {_PATIENCE_S} s.")


def _try_c(folder: Path, manifest: Manifest) -> Tried:
    compiler = next((found for name in ("cc", "gcc", "clang") if (found := shutil.which(name))), None)
    if compiler is None:
        return Tried(None, "There is no C compiler here, so it is written and not tried.")
    with tempfile.TemporaryDirectory(prefix="zesty-code-") as place:
        program = Path(place) / "tried"
        sources = [folder / manifest.sources[0], folder / f"{manifest.prefix}_test.c"]
        command = [compiler, *_STRICT, "-o", str(program), *map(str, sources), "-lm"]
        built = subprocess.run(command, capture_output=True, text=True, timeout=_PATIENCE_S, check=False)
        if built.returncode:
            return Tried(False, "It does not compile.", _lines(built.stderr))
        done = subprocess.run([str(program)], capture_output=True, text=True, timeout=_PATIENCE_S, check=False)
    return _outcome(done, f"Compiled without a warning by {Path(compiler).name}; ", "comparison", "with decoding")


def _try_python(folder: Path, manifest: Manifest) -> Tried:
    name = f"test_{manifest.sources[0].removesuffix('.py')}"
    script = _RUN_PYTHON.format(folder=str(folder.absolute()), name=name)
    # nothing of the folder's own is read but these modules, and no bytecode is left in it
    done = subprocess.run([sys.executable, "-I", "-B", "-c", script], capture_output=True, text=True,
                          timeout=_PATIENCE_S, check=False)  # fmt: skip
    return _outcome(done, "", "message", "compared with decoding")


_TRIALS = {"c99": _try_c, "python": _try_python}
_ELSEWHERE = "It runs on a controller, so it is written and not tried; the test beside it tries it there."


def _outcome(done: subprocess.CompletedProcess[str], before: str, thing: str, how: str) -> Tried:
    found = re.search(r"(\d+) of (\d+) differ", done.stdout)
    if found is None:
        # a program that ends says last what went wrong; a compiler says first what is wrong
        return Tried(False, "It does not run.", tuple(done.stderr.strip().splitlines()[-_MOST_LINES:]))
    different, tried = int(found[1]), int(found[2])
    things = f"{tried:,} {thing}{'' if tried == 1 else 's'}".replace(",", "\u2009")
    if different:
        return Tried(False, f"{before}{different} of {things} {how} differ.", _lines(done.stdout))
    return Tried(True, f"{before}{things} {how}, all alike.")


def _lines(text: str) -> tuple[str, ...]:
    return tuple(text.strip().splitlines()[:_MOST_LINES])
