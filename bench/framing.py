"""Memory while serial bytes are put together to telegrams, however many there are."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from bench.table import Line

_BYTES = 1 << 27
_CODE = f"""
import json, sys, time
import numpy as np
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.telegrams import GapFraming
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.segments import SegmentFramer

PIECES, SIZE = 1 << 14, 64
sizes = np.full(PIECES, SIZE, np.uint32)
payload = np.random.default_rng(1).integers(0, 256, PIECES * SIZE, np.uint8)
frames = 0

def put(table):
    global frames
    frames += len(table)

framer = SegmentFramer(new_recipe("x", framing=GapFraming(gap_us=1000.0), lane="x"), put)
began = time.perf_counter()
for number in range({_BYTES} // (PIECES * SIZE)):
    times = (np.arange(PIECES) + number * PIECES) * 5_000_000
    framer.add(FrameTable(times, np.zeros(PIECES, np.uint16), np.zeros(PIECES, np.int64), np.zeros(PIECES, np.uint32),
                          np.arange(PIECES) * SIZE, sizes, payload))
framer.finish()
# of this program alone: what the system adds up over a fork holds the highest memory of its parent as well
status = dict(line.split(":", 1) for line in open("/proc/self/status"))
peak = int(status["VmHWM"].split()[0]) * 1024
print(json.dumps([peak, time.perf_counter() - began, frames]))
"""


def measure(_folder: Path) -> list[Line]:
    """Measure bytes in a process of its own, whose highest memory the system knows."""
    done = subprocess.run([sys.executable, "-c", _CODE], capture_output=True, text=True, check=True)
    peak, seconds, frames = json.loads(done.stdout)
    assert frames == _BYTES // 64
    return [
        Line(
            "memory while framing 128 MB of serial bytes, as for any number",
            f"{peak / 1e6:.0f} MB",
            "500 MB",
            peak < 500e6,
        ),
        Line("  at", f"{_BYTES / seconds / 1e6:.0f} MB/s"),
    ]
