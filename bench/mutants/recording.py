"""Records which functions of the program each test runs; a plugin of pytest, given with ``-p``.

What a test runs in other threads counts as its own, and so does what commands run that tests fork. It is the profiler
of the standard library that looks on: it costs a third of the suite's time, where one that hears of every line doubles
it. Functions that are compiled run unseen; whoever calls them is seen.
"""

from __future__ import annotations

import cProfile
import json
import multiprocessing.util
import os
import sys
import threading
import time
from pathlib import Path
from types import CodeType

import pytest

FOLDER_VARIABLE = "ZESTY_RAN"
"""The environment's name of the folder that processes leave what they saw in."""
PACKAGE = str(Path(__file__).parent.parent.parent / "zesty_abacus") + os.sep
_IN_A_COMMAND = "bench.mutants.recording_commands"


class Recorder:
    """Looks on in all threads of a process."""

    def __init__(self) -> None:
        self._profiles: list[cProfile.Profile] = []

    def begin(self) -> None:
        """Look on from now, in this thread and in those that begin later."""
        threading.setprofile(lambda *_event: self._look_on())
        self._look_on()

    def end(self) -> None:
        """Look away, in this thread and in those that begin later."""
        threading.setprofile(None)  # type: ignore[arg-type]
        sys.setprofile(None)

    def taken(self) -> set[str]:
        """Return what ran since this was asked last, each as ``file:function``."""
        ran = set()
        for profile in self._profiles:
            ran |= {name for entry in profile.getstats() if (name := _name_of(entry.code))}
            profile.clear()
        return ran

    def _look_on(self) -> None:
        profile = cProfile.Profile(builtins=False)
        self._profiles.append(profile)
        profile.enable()


def _name_of(code: CodeType | str) -> str:
    if isinstance(code, str) or not code.co_filename.startswith(PACKAGE):
        return ""
    # what stands in brackets is run by whoever it stands in
    function = code.co_qualname.partition(".<locals>.<")[0]  # type: ignore[attr-defined]
    return f"zesty_abacus/{code.co_filename[len(PACKAGE) :]}:{function}"


class _EachTest:
    """Notes what each test of this process has run, and writes it down at the end."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._recorder = Recorder()
        self._ran: dict[str, tuple[float, list[str]]] = {}

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_protocol(self, item):
        self._recorder.begin()
        before = time.perf_counter()
        try:
            return (yield)
        finally:
            self._recorder.end()
            self._ran[item.nodeid] = time.perf_counter() - before, sorted(self._recorder.taken())

    def pytest_sessionfinish(self) -> None:
        if self._ran:
            write(self._folder, self._ran)


def write(folder: Path, ran: dict[str, tuple[float, list[str]]]) -> None:
    """Leave what a process has seen, as one file: seconds and functions by test."""
    (folder / f"{os.getpid()}-{time.monotonic_ns()}.json").write_text(json.dumps(ran))


class InACommand:
    """Looks on in a process that a test has forked."""

    def __init__(self) -> None:
        self._recorder = Recorder()
        # a process that is forked forgets what was to be done at its end, and then asks who wants to know
        multiprocessing.util.register_after_fork(self, InACommand._begin)

    def _begin(self) -> None:
        self._recorder.begin()
        multiprocessing.util.Finalize(None, self._end, exitpriority=0)

    def _end(self) -> None:
        self._recorder.end()
        test = os.environ.get("PYTEST_CURRENT_TEST", "").rpartition(" (")[0]
        if test:
            write(Path(os.environ[FOLDER_VARIABLE]), {test: (0.0, sorted(self._recorder.taken()))})


def pytest_configure(config) -> None:
    """Look on in the tests of this process, and in what they fork."""
    from tests import forked  # only where tests are

    forked.PRELOADED.append(_IN_A_COMMAND)
    config.pluginmanager.register(_EachTest(Path(os.environ[FOLDER_VARIABLE])))
