"""Tries a fault: puts it into a copy of the tree, and runs the tests that reach it."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import pytest

from bench.mutants.faults import ROOT, Fault

_PATIENCE_S = 420


def copied(target: Path) -> Path:
    """Copy what tests need of the tree, with its compiled kernels; return where."""
    target.mkdir(exist_ok=True)
    for name in ("zesty_abacus", "tests", "bench", "docs"):
        shutil.copytree(ROOT / name, target / name, ignore=shutil.ignore_patterns(".cache", "screenshots"))
    for name in ("pyproject.toml", "README.md", "requirements.lock"):
        shutil.copy(ROOT / name, target / name)
    return target


def noticed(fault: Fault, tests: Sequence[str], tree: Path, patience_s: float = _PATIENCE_S) -> bool | None:
    """Return whether tests fail with a fault in the tree; None if they take too long to say.

    They may hang because of it, or be many: nobody knows, so it counts for neither.
    """
    path = tree / fault.file
    whole = path.read_text()
    path.write_text(fault.source)
    environment = {**os.environ, "PYTHONPATH": str(tree), "PYTHONDONTWRITEBYTECODE": "1"}
    options = ["-q", "-x", "-p", "no:cacheprovider"]
    run = subprocess.Popen([sys.executable, "-m", "pytest", *options, *tests], cwd=tree, env=environment,
                           stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)  # fmt: skip
    try:
        return run.wait(patience_s) not in (pytest.ExitCode.OK, pytest.ExitCode.NO_TESTS_COLLECTED)
    except subprocess.TimeoutExpired:
        # with whatever the tests have started
        os.killpg(run.pid, signal.SIGKILL)
        run.wait()
        return None
    finally:
        path.write_text(whole)
