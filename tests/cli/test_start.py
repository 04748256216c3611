"""The program started from nothing, as a shell does it."""

import os
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


@pytest.mark.parametrize(
    ("words", "at", "wanted"),
    [
        ("zesty-abacus de", 1, ["decode", "device", "demo"]),
        ("zesty-abacus archive un", 2, ["unravel"]),
        ("zesty-abacus decode --sha", 2, ["--shape"]),
        ("zesty-abacus decode --shape w", 3, ["wide"]),
    ],
)
def test_shells_complete_commands_options_and_choices(words, at, wanted):
    asked = {"_ZESTY_ABACUS_COMPLETE": "bash_complete", "COMP_WORDS": words, "COMP_CWORD": str(at)}
    done = subprocess.run([sys.executable, "-m", "zesty_abacus"], capture_output=True, text=True,
                          env={**os.environ, **asked}, check=False)  # fmt: skip
    assert [line.split(",")[1] for line in done.stdout.splitlines()] == wanted, done.stderr


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_every_shell_has_a_script(shell):
    done = subprocess.run([sys.executable, "-m", "zesty_abacus"], capture_output=True, text=True,
                          env={**os.environ, "_ZESTY_ABACUS_COMPLETE": f"{shell}_source"}, check=False)  # fmt: skip
    assert "zesty-abacus" in done.stdout and "_zesty_abacus_completion" in done.stdout
