"""Measurements are not run here, but what they measure is still there under the names they use."""

import shutil
import subprocess
import sys
from itertools import zip_longest

import pytest

from bench.commands import bench_library, c_program, write_log


def test_every_part_can_be_loaded():
    script = "from bench.__main__ import PARTS; assert len(PARTS) > 15 and all(map(callable, PARTS.values()))"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


@pytest.mark.skipif(shutil.which("gcc") is None, reason="without a compiler for C")
@pytest.mark.parametrize(("number", "verb"), [(0, "decode"), (1, "frames")])
def test_a_program_that_is_measured_against_writes_the_same_table(tmp_path, number, verb):
    log = tmp_path / "some.log"
    write_log(log, 3_000, 1)
    asked = ["--library", bench_library(tmp_path)] if verb == "decode" else []
    ours = [sys.executable, "-m", "zesty_abacus", verb, *asked, "--to", "csv", log]
    theirs = [c_program(tmp_path, number), log]
    made, wanted = (subprocess.run(command, capture_output=True, check=True).stdout for command in (ours, theirs))
    differ = [pair for pair in zip_longest(made.splitlines(), wanted.splitlines()) if pair[0] != pair[1]]
    assert len(made.splitlines()) > 3_000 and not differ[:3]
