"""What takes longest is left out where somebody wants an answer soon, and all of it is run otherwise."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.longest import LIST, LeavesOutLongest, NotesLongest

pytest_plugins = ["pytester"]
ROOT = Path(__file__).parents[1]


@pytest.fixture
def three(pytester):
    """Return where three tests lie, one of them with two cases of which one takes a while."""
    pytester.makepyfile(
        test_one="import time, pytest\n"
        "def test_quick(): pass\n"
        "@pytest.mark.parametrize('s', [0, 0.3])\ndef test_slow(s): time.sleep(s)\n"
        "def test_quick_too(): pass\n"
    )
    return pytester


def test_all_cases_of_what_is_listed_are_left_out_and_said_to_be(three):
    found = three.inline_run(plugins=[LeavesOutLongest(frozenset({"test_one.py::test_slow"}))])
    found.assertoutcome(passed=2)
    (told,) = found.getcalls("pytest_deselected")
    assert [one.name for one in told.items] == ["test_slow[0]", "test_slow[0.3]"]


def test_what_takes_long_is_listed_by_its_function(three, monkeypatch, tmp_path):
    monkeypatch.setattr("tests.longest.LONG_S", 0.2)
    three.inline_run(plugins=[NotesLongest(tmp_path / "list.txt")])
    assert (tmp_path / "list.txt").read_text() == "test_one.py::test_slow\n"


def test_what_is_listed_is_there():
    """A test that was renamed would be run again without anybody knowing why."""
    listed = LIST.read_text().splitlines()
    assert listed == sorted(set(listed)) and len(listed) > 100
    gone = [name for name in listed if not _is_there(name)]
    assert not gone


def _is_there(name: str) -> bool:
    file, first, *_ = name.split("::")
    path = ROOT / file
    return path.exists() and bool(re.search(rf"^(def |class )?{re.escape(first)}\b", path.read_text(), re.MULTILINE))
