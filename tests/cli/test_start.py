"""The program started from nothing, as a shell does it."""

import subprocess
import sys

import pytest

from tests.cli.program import run

LOG = "(1.0) can0 100#0011\n"


def started(*arguments):
    done = subprocess.run(
        [sys.executable, "-m", "zesty_abacus", *map(str, arguments)], capture_output=True, timeout=120
    )
    return done.returncode, done.stdout.decode(), done.stderr.decode()


@pytest.mark.parametrize(
    "words", [("--version",), ("frames", "a.log"), ("frames", "none.log"), ("frames", "--nonsense")]
)
def test_it_does_what_the_loaded_one_does(words, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "a.log").write_text(LOG)
    assert started(*words) == run(*words)
    assert run(*words)[0] == {"--version": 0, "a.log": 0, "none.log": 1, "--nonsense": 2}[words[-1]]


def test_what_is_asked_of_it_does_not_stay():
    """A command finds the environment and the folder of who runs it, and leaves neither to the next."""
    assert run("frames", "no.log") == run("frames", "no.log")
    assert run("--help")[0] == 0
