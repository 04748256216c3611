"""A stored capture of ten million frames: opening, memory, activity, pictures."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.frames.activity import BitHistory, capture_activity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.frames.density import lane_density
from zesty_abacus.core.frames.store import CaptureWriter, open_capture
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.demo.simulator import chunks

FRAMES = 10_000_000
COLUMNS = 520


def stored_capture(folder: Path) -> Capture:
    """Store ten million frames: a simulated minute, again and again, one after another in time."""
    path = folder / "ten-million"
    if path.exists():
        return open_capture(path)
    minute = [parts["thruster"] for _, parts in chunks(60.0, 5)]
    length = 60_000_000_000
    with CaptureWriter(path) as writer:
        turn = 0
        while len(writer) < FRAMES:
            for table in minute:
                part = table.rows(0, FRAMES - len(writer))
                used = int((part.start + part.size).max(initial=0))
                writer.append(
                    FrameTable(part.time_ns + turn * length, part.lane, part.address, part.flags, part.start, part.size,
                               part.payload[:used])
                )  # fmt: skip
            turn += 1
        return writer.finish([Lane("thruster")])


_OPEN = """
import resource, sys, time
from pathlib import Path
from zesty_abacus.core.frames.store import open_capture
from zesty_abacus.core.frames.density import lane_density
def resident():
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()
lane_density(open_capture(Path(sys.argv[2])), 16)  # loads the compiled kernels, as the window does while it starts
before = resident()
begin = time.perf_counter()
capture = open_capture(Path(sys.argv[1]))
lane_density(capture, 2048)
print(time.perf_counter() - begin, (resident() - before) / sum(one.segment.table.nbytes for one in capture.segments))
"""


def measure(folder: Path) -> list[Line]:
    """Measure a capture of ten million frames."""
    capture = stored_capture(folder)
    with CaptureWriter(folder / "small") as writer:
        writer.append(next(iter(chunks(1.0, 1)))[1]["thruster"])
        writer.finish([Lane("a")])
    runs = [
        subprocess.run([sys.executable, "-c", _OPEN, str(folder / "ten-million"), str(folder / "small")],
                       capture_output=True, text=True, check=True).stdout.split()
        for _ in range(3)
    ]  # fmt: skip
    opened = min(float(seconds) for seconds, _ in runs)
    memory = max(float(share) for _, share in runs)
    activity = best(lambda: capture_activity(capture), rounds=3)
    return [
        Line("open 10 M stored frames to the first picture", f"{opened:.3f} s", "0.3 s", opened < 0.3),
        Line("  memory then, against the columns", f"{memory:.2f} x", "1.5 x", memory < 1.5),
        Line("bit activity of 10 M frames", f"{activity:.2f} s", "1 s", activity < 1),
        Line("strip of 10 M frames, counted anew", f"{best(lambda: lane_density(capture, 2048)) * 1e3:.1f} ms"),
        *_picture_lines(),
    ]


def _picture_lines() -> list[Line]:
    """Pictures of one kind that holds all ten million frames, the worst case there is."""
    random = np.random.default_rng(2)
    times = np.arange(FRAMES) * 1_000_000
    matrix = random.integers(0, 256, (FRAMES, 8), dtype=np.uint8)
    history = BitHistory.build(times, matrix)
    curve = Curve.build(times, random.normal(size=FRAMES))
    lines = []
    for words, share in (("all", 1.0), ("a tenth", 0.1), ("a thousandth", 0.001)):
        last = int(times[-1] * share)
        drawn = best(lambda last=last: history.picture(12_345, last, COLUMNS, 8)) * 1e3
        reduced = best(lambda last=last: curve.columns(12_345, last, COLUMNS)) * 1e3
        lines.append(Line(f"history of 10 M frames of one kind, {words} shown", f"{drawn:.1f} ms", "16 ms", drawn < 16))
        lines.append(Line(f"trace of 10 M values, {words} shown", f"{reduced:.1f} ms", "16 ms", reduced < 16))
    return lines
