"""What commands take to start: help and wrong use, and the frames of a recording of one line."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

from bench.table import Line

_ROUNDS = 5


def measure(folder: Path) -> list[Line]:
    """Measure whole commands, the best of some rounds; the first of them is not counted."""
    recording = folder / "tiny.log"
    recording.write_text("(1.0) can0 100#00\n")
    helped, wrong, read = (
        _taken(arguments) for arguments in (["--help"], ["frames", "-x"], ["frames", str(recording)])
    )
    return [
        Line("--help", f"{helped:.2f} s", "0.1 s", helped < 0.15),
        Line("wrong use", f"{wrong:.2f} s", "0.1 s", wrong < 0.15),
        Line("frames of a tiny recording", f"{read:.2f} s", "0.8 s", read < 0.8),
    ]


def _taken(arguments: list[str]) -> float:
    times = []
    for _ in range(_ROUNDS + 1):
        begin = time.perf_counter()
        subprocess.run([sys.executable, "-m", "zesty_abacus", *arguments], capture_output=True)
        times.append(time.perf_counter() - begin)
    return min(times[1:])
