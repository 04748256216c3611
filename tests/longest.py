"""Leaves out the tests that take longest, for an answer within minutes; ``longest.txt`` lists them.

A test is listed by its function, with all of its cases. The list is written anew by a run of all tests with
``--note-longest``, which says what it found, on whatever machine that is: what is long on one is on others.
"""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

import pytest

LIST = Path(__file__).with_name("longest.txt")
LONG_S = 1.5
"""What a case of a test takes, with what is set up for it, that is left out."""


def function_of(node: str) -> str:
    """Return a test without its case."""
    return node.partition("[")[0]


class LeavesOutLongest:
    """Leaves out the tests that are listed."""

    def __init__(self, listed: frozenset[str]) -> None:
        self._listed = listed

    def pytest_collection_modifyitems(self, config: pytest.Config, items: list[pytest.Item]) -> None:
        left_out = [one for one in items if function_of(one.nodeid) in self._listed]
        items[:] = [one for one in items if function_of(one.nodeid) not in self._listed]
        config.hook.pytest_deselected(items=left_out)


class NotesLongest:
    """Keeps how long each test takes, in the process that hears of all of them, and writes the list at the end."""

    def __init__(self, to: Path) -> None:
        self._to = to
        self._took_s: dict[str, float] = defaultdict(float)

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self._took_s[report.nodeid] += report.duration

    def pytest_sessionfinish(self) -> None:
        found = {function_of(node) for node, took_s in self._took_s.items() if took_s >= LONG_S}
        self._to.write_text("".join(f"{name}\n" for name in sorted(found)))


def add_options(parser: pytest.Parser) -> None:
    """Add what can be asked for."""
    parser.addoption("--quick", action="store_true", help="leave out the tests that take longest")
    parser.addoption("--note-longest", action="store_true", help="list the tests that take longest anew")


def put_in(config: pytest.Config) -> None:
    """Do what is asked for."""
    if config.getoption("--quick"):
        config.pluginmanager.register(LeavesOutLongest(frozenset(LIST.read_text().split("\n"))))
    # of several processes only the first hears of all tests
    if config.getoption("--note-longest") and not hasattr(config, "workerinput"):
        config.pluginmanager.register(NotesLongest(LIST))
