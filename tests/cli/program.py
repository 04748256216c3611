"""The command as a program of its own: a process with its own streams, environment and exit code."""

from __future__ import annotations

import tempfile
from pathlib import Path

from tests.forked import Forked

COMMAND = "zesty_abacus.cli.main"


def run(*arguments: object, binary: bool = False):
    """Run the command; return (exit code, output, errors)."""
    with tempfile.TemporaryDirectory(prefix="command-") as folder:
        out, err = Path(folder) / "out", Path(folder) / "err"
        code = Forked(COMMAND, [str(argument) for argument in arguments], out, err).wait()
        return code, out.read_bytes() if binary else out.read_text(), err.read_text()
