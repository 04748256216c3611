"""The live side: frames a second through the window, how soon they are seen, and what hours cost in memory."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from bench.table import Line

_SEND = """
import socket, struct, sys, time
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.live.frame_datagram import MAGIC, SentFrame, pack_frame
port, rate, length = int(sys.argv[1]), float(sys.argv[2]), float(sys.argv[3])
wire = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
each = max(int(rate // 1000), 1)
begin, sent = time.monotonic(), 0
while (now := time.monotonic()) - begin < length:
    stamp = time.time_ns()
    frames = [SentFrame(stamp, "thruster", 0x1A0 + n % 9, F.RECEIVED, bytes((n, sent & 255, 0, 0, 0, 0, 0, 0)))
              for n in range(each)]
    wire.sendto(MAGIC + b"".join(map(pack_frame, frames)), ("127.0.0.1", port))
    sent += each
    left = begin + sent / rate - time.monotonic()
    if left > 0:
        time.sleep(left)
print(sent)
"""

_WINDOW = """
import json, socket, subprocess, sys, time
import numpy as np
from zesty_abacus.desk.launch import make_application, make_window
application = make_application()
window = make_window(demo=True)
window.resize(1280, 800)
window.show()
session = window.session
def wait(holds):
    while not holds():
        application.processEvents()
        time.sleep(0.001)
wait(lambda: session.reading.counts.explained and session.jobs.is_idle())
window.show_desk("Rehearse")
with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
    probe.bind(("127.0.0.1", 0))
    port = probe.getsockname()[1]
live = session.live
live.connect_to(f"udp://127.0.0.1:{port}?listen=1&form=frames&lane=thruster")
wait(lambda: live.is_live and session.jobs.is_idle())
live.writing.record()
late, seen = [], []
live.came.connect(lambda rows: late.append(time.time_ns() - rows[-1].time_ns) if rows else None)
session.grown.connect(lambda: seen.append(time.time_ns() - session.clock.last_ns))
found = {}
for name, rate, length in (("few", 1000, 4), ("many", float(sys.argv[2]), 6), ("asked", float(sys.argv[2]), 6),
                           ("read", 1000, 4), ("read many", float(sys.argv[2]), 6)):
    live.ask("changes(at(B0)) and address == 0x1A3" if name == "asked" else "")
    window.show_desk("Read" if name.startswith("read") else "Rehearse")
    late.clear()
    seen.clear()
    heard = live.lanes["thruster"].heard
    sender = subprocess.Popen([sys.executable, "-c", sys.argv[1], str(port), str(rate), str(length)],
                              stdout=subprocess.PIPE, text=True)
    worst = 0.0
    while sender.poll() is None:
        begin = time.perf_counter()
        application.processEvents()
        worst = max(worst, time.perf_counter() - begin)
        time.sleep(0.002)
    end = time.monotonic() + 1
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.002)
    sent = int(sender.stdout.read())
    got = live.lanes["thruster"].heard - heard
    found[name] = {"sent": sent, "got": got, "rate": got / length, "middle_ms": float(np.median(late)) / 1e6,
                   "seen_ms": float(np.median(seen)) / 1e6, "pictures": len(seen) / length,
                   "worst_ms": worst * 1e3}
live.let_go()
window.close()
print(json.dumps(found))
"""

_HOUR = """
import json, resource, sys, tempfile, threading
from pathlib import Path
import numpy as np
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.trial.growing import GrowingCapture
from zesty_abacus.core.live.ring import Ring
from zesty_abacus.core.live.sinks import TableSink
from zesty_abacus.core.live.watch import Watch
lanes = [Lane("thruster")]
folder = Path(tempfile.mkdtemp())
growing = GrowingCapture(Capture.of_segments([], []), {}, folder / "growing")
sink, ring, watch = TableSink(folder / "a.csv", "csv"), Ring(10_000_000_000), Watch("changes(at(B0))", ["thruster"])
def peak():
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
at = {}
for second in range(3600):
    batch = Batch()
    for n in range(200):
        batch.add(second * 10**9 + n * 5_000_000, bytes((second & 255, n)), 0x100 + n % 40, F.RECEIVED)
    table = batch.table()
    sink.append(table, lanes)
    ring.add(table)
    growing.add(table, lanes)
    growing.capture()
    watch.holds_in(table, lanes)
    if second in (300, 3599):
        at[second] = peak()
print(json.dumps(at))
"""
_RATE = 20_000


def measure(folder: Path) -> list[Line]:
    """Measure with a window open on the demo, a recording into its trial, and every frame decoded."""
    home = folder / "live-home"
    home.mkdir()
    environment = os.environ | {
        "QT_QPA_PLATFORM": "offscreen", "HOME": str(home), "XDG_CONFIG_HOME": str(home), "XDG_DATA_HOME": str(home),
    }  # fmt: skip
    done = _run(_WINDOW, environment, _SEND, str(_RATE))
    hour = _run(_HOUR, environment)
    few, many, asked, read, flood = (done[name] for name in ("few", "many", "asked", "read", "read many"))
    return [
        Line("live: frames a second into the trial, window open", f"{many['rate']:,.0f}", f"{_RATE:,}"),
        Line("live: of these, lost", f"{sum(one['sent'] - one['got'] for one in done.values()):,}", "0"),
        Line("live: wire to window in the middle, 1 000 frames/s", f"{few['middle_ms']:.0f} ms", "50 ms"),
        Line(f"live: the same at {_RATE:,} frames/s", f"{many['middle_ms']:.0f} ms", "50 ms"),
        Line("live: the same with a condition asked of each", f"{asked['middle_ms']:.0f} ms", "50 ms"),
        Line("live: wire to Read, with list, traces and values", f"{read['seen_ms']:.0f} ms", "100 ms"),
        Line(f"live: the same at {_RATE:,} frames/s", f"{flood['seen_ms']:.0f} ms", "100 ms"),
        Line("live: pictures of Read a second meanwhile", f"{read['pictures']:.0f} and {flood['pictures']:.0f}", ""),
        Line(
            "live: longest hold of the window meanwhile",
            f"{max(one['worst_ms'] for one in done.values()):.0f} ms",
            "50 ms",
        ),
        Line("live: memory after an hour beside after 5 minutes", f"{hour['3599'] / hour['300']:.2f}x", "1.1x"),
    ]


def _run(program: str, environment: dict[str, str], *arguments: str) -> dict:
    words = [sys.executable, "-c", program, *arguments]
    done = subprocess.run(words, env=environment, capture_output=True, text=True, check=True)
    return json.loads(done.stdout.splitlines()[-1])
