"""Processes of a program that is loaded already: forked from one that has imported it.

The suite starts hundreds of programs, and loading takes longer than most of them run. What is forked is a process of
its own all the same, with its own streams, environment, folder, signals and exit code. That the program also starts
from nothing is tested in ``tests/cli/test_start.py``.
"""

from __future__ import annotations

import importlib
import multiprocessing
import os
import sys
import threading
import time
from multiprocessing import connection
from pathlib import Path

PRELOADED = ["tests.cli.loaded"]
"""Modules that the process loads before any is forked from it."""
_forking = multiprocessing.get_context("forkserver")
_forking.set_forkserver_preload(PRELOADED)
_LOOK_S = 0.005


class Forked:
    """A running ``main()`` of a module.

    Parameters
    ----------
    module
        Whose ``main`` runs; it finds its words in ``sys.argv``.
    out, err
        Files that its streams go to, as if a shell had sent them there.
    """

    def __init__(self, module: str, words: list[str], out: Path, err: Path | None = None) -> None:
        self._out = out
        out.touch()
        streams = str(out), str(err or os.devnull)
        arguments = (module, words, dict(os.environ), str(Path.cwd()), streams)
        self._process = _forking.Process(target=_be, args=arguments)
        self._process.start()
        self._asked = threading.Lock()

    @property
    def is_running(self) -> bool:
        """Whether it has not ended yet."""
        return self._exit_code() is None

    def send_signal(self, number: int) -> None:
        """Send a signal, unless it has ended."""
        if self.is_running:
            os.kill(self._process.pid, number)

    def kill(self) -> None:
        """Kill it."""
        self._process.kill()

    def wait(self, patience_s: float = 120) -> int:
        """Return its exit code, a negative one after a signal, as ``subprocess`` has it."""
        connection.wait([self._process.sentinel], patience_s)
        code = self._exit_code()
        if code is None:
            self._process.kill()
            raise TimeoutError(f"it took longer than {patience_s} s")
        return code

    def _exit_code(self) -> int | None:
        # the code is read from a pipe, once: of two threads that ask at that moment one finds it empty, and says 255
        with self._asked:
            return self._process.exitcode

    def lines(self) -> list[str]:
        """Return the whole lines that it has written so far."""
        return self._out.read_text().split("\n")[:-1]

    def first_line(self, patience_s: float = 120) -> str:
        """Return its first line when it is written; empty if it ended without one."""
        until = time.monotonic() + patience_s
        while not (lines := self.lines()) and self.is_running and time.monotonic() < until:
            time.sleep(_LOOK_S)
        return lines[0] if lines else ""


def _be(module: str, words: list[str], environment: dict[str, str], folder: str, streams: tuple[str, str]) -> None:
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    for number, path in enumerate(streams, 1):
        file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        os.dup2(file, number)
        os.close(file)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    # the streams of a program that starts anew, whatever its parent had made of its own
    sys.stdin = open(0, encoding="utf-8", errors="surrogateescape", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", encoding="utf-8", errors="surrogateescape", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", errors="backslashreplace", closefd=False)  # noqa: SIM115
    sys.argv = [module, *words]
    importlib.import_module(module).main()
