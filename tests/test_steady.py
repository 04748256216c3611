"""A test about milliseconds is tried again where the machine stood still, and only there."""

pytest_plugins = ["pytester"]

_TEST = """
import time
import pytest
from tests.steady import KEEPS_TIME

pytestmark = KEEPS_TIME
tries = []

def test_it(tmp_path):
    assert not list(tmp_path.iterdir()), "each try begins anew"
    (tmp_path / "left").touch()
    tries.append(1)
    {body}
"""


def _outcome(pytester, body):
    pytester.makeconftest("from tests.conftest import pytest_pyfunc_call\n")
    pytester.makeini("[pytest]\nmarkers = keeps_time\n")
    pytester.makepyfile(_TEST.format(body=body))
    result = pytester.runpytest_inprocess("-p", "no:hypothesispytest", "-p", "no:xdist")
    return result.parseoutcomes()


def test_what_fails_while_the_machine_stands_still_is_tried_again(pytester, monkeypatch):
    # a process that is not let run cannot be had at will; to a watch that looks late it is the same
    monkeypatch.setattr("tests.steady._LOOK_S", -1.0)
    assert _outcome(pytester, "assert len(tries) == 3") == {"passed": 1, "rerun": 2}


def test_what_fails_while_it_does_not_is_a_failure(pytester, monkeypatch):
    monkeypatch.setattr("tests.steady._LOOK_S", 1.0)
    assert _outcome(pytester, "assert len(tries) == 3") == {"failed": 1}


def test_what_passes_is_not_tried_again(pytester, monkeypatch):
    monkeypatch.setattr("tests.steady._LOOK_S", -1.0)
    assert _outcome(pytester, "assert len(tries) == 1") == {"passed": 1}
