"""``./dev bench``: prints what the program reaches beside what it is to reach.

Ratios compare two things in the same run. Every figure is the best of several rounds, since other work on
the machine only ever slows a round down.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bench import (
    codec,
    commands,
    conditions,
    desk,
    frames,
    framing,
    interface,
    leaving,
    library,
    lines,
    live,
    meaning,
    moving,
    problems,
    reading,
    rehearse,
    shared,
    starts,
    unravel,
)
from bench.table import Line

PARTS: dict[str, Callable[[Path], list[Line]]] = {
    "starts": starts.measure,
    "codec": codec.measure,
    "moving": moving.measure,
    "reading": reading.measure,
    "commands": commands.measure,
    "lines": lines.measure,
    "leaving": leaving.measure,
    "live": live.measure,
    "rehearse": rehearse.measure,
    "framing": framing.measure,
    "meaning": meaning.measure,
    "frames": frames.measure,
    "conditions": conditions.measure,
    "problems": problems.measure,
    "unravel": unravel.measure,
    "desk": desk.measure,
    "interface": interface.measure,
    "library": library.measure,
    "shared": shared.measure,
}


def main() -> None:
    """Run all parts, or those named on the command line, and print the table."""
    began, load = time.perf_counter(), os.getloadavg()[0]
    print(f"{'what':58} {'measured':>18}   {'to reach':>16}")
    with tempfile.TemporaryDirectory(prefix="zesty-bench-", dir=os.environ.get("BENCH_DIR") or None) as folder:
        for part in [PARTS[name] for name in sys.argv[1:]] or PARTS.values():
            for line in part(Path(folder)):
                mark = " " if line.reached else "!"
                print(f"{line.what:58} {line.measured:>18} {mark} {line.reach:>16}", flush=True)
    took = time.perf_counter() - began
    print(f"{os.cpu_count()} processors, {load:.1f} of them at work before it began, {took:.0f} s in all")


if __name__ == "__main__":
    main()
