"""Measurements are not run here, but what they measure is still there under the names they use."""

import subprocess
import sys


def test_every_part_can_be_loaded():
    script = "from bench.__main__ import PARTS; assert len(PARTS) > 15 and all(map(callable, PARTS.values()))"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
