"""The command as a program of its own: a process with its own streams, environment and exit code.

A process that has loaded the program is kept and forked for each command, since the suite runs hundreds of them and
loading takes longer than most of them. That the program also starts from nothing is tested in ``test_start.py``.
"""

from __future__ import annotations

import multiprocessing
import os
import sys
import tempfile
from pathlib import Path

_PATIENCE_S = 120
_forking = multiprocessing.get_context("forkserver")
_forking.set_forkserver_preload(["tests.cli.loaded"])


def run(*arguments: object, binary: bool = False):
    """Run the command; return (exit code, output, errors)."""
    with tempfile.TemporaryDirectory(prefix="command-") as folder:
        out, err = Path(folder) / "out", Path(folder) / "err"
        words = [str(argument) for argument in arguments]
        process = _forking.Process(target=_command, args=(words, dict(os.environ), str(Path.cwd()), str(out), str(err)))
        process.start()
        process.join(_PATIENCE_S)
        if process.is_alive():
            process.kill()
            raise TimeoutError(f"{words} took longer than {_PATIENCE_S} s")
        return process.exitcode, out.read_bytes() if binary else out.read_text(), err.read_text()


def _command(words: list[str], environment: dict[str, str], folder: str, out: str, err: str) -> None:
    """Be the program: what it writes goes to files, as if a shell had sent it there."""
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    for number, path in ((1, out), (2, err)):
        file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        os.dup2(file, number)
        os.close(file)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    # the streams of a program that starts anew, whatever its parent had made of its own
    sys.stdin = open(0, encoding="utf-8", errors="surrogateescape", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", encoding="utf-8", errors="surrogateescape", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", errors="backslashreplace", closefd=False)  # noqa: SIM115
    sys.argv = ["zesty-abacus", *words]

    from zesty_abacus.cli.main import main

    main()
