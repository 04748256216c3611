"""What edits, news and offsets cost the interface thread, in a window with three thousand layouts."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.frames import stored_capture
from bench.table import Line
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.frames.density import lane_density
from zesty_abacus.core.frames.store import CaptureWriter, open_capture

_CODE = """
import dataclasses, json, statistics, sys, time
import msgspec
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.desk.launch import make_application, make_window
application = make_application()
window = make_window(demo=True)
window.show()
session = window.session
def settle():
    quiet = 0
    while quiet < 20:
        application.processEvents()
        quiet = quiet + 1 if session.jobs.is_idle() and session.reading.counts.explained else 0
        time.sleep(0.001)
settle()
made = [new_layout(f"message {n}", Applies(address=0x10000 + n, extended=True), 8,
                   [new_field(f"field {k}", parse_places(f"B{k}")) for k in range(8)]) for n in range(3000)]
session.library.layouts.import_all(made, author="bench", reason="bench")
while len(session.edits.layouts()) < 3000:
    application.processEvents()
    time.sleep(0.005)
settle()
found = {}
def took(work):
    begin = time.perf_counter()
    work()
    itself = time.perf_counter() - begin
    application.processEvents()
    shown = time.perf_counter() - begin
    settle()
    return itself, shown
def median(pairs):
    return [statistics.median(column) for column in zip(*pairs)]
window.show_desk(sys.argv[1])
kind = next(session.reading.kinds_read())
session.select_kind(kind)
settle()
layout = session.reading.layout_of(kind)
edits = [took(lambda: session.edits.change(msgspec.structs.replace(layout, note=f"note {n}"))) for n in range(9)]
found["edit"] = median(edits)
def news(turn):
    heads = []
    for one in made[:300]:
        head = session.library.layouts.head_of(one.id)
        changed = msgspec.structs.replace(head.state, note=f"theirs {turn}")
        heads.append(dataclasses.replace(head, state=changed,
                     revision=dataclasses.replace(head.revision, id=head.revision.id + 100_000 * (turn + 1))))
    return heads
session.shared.news.stop()
turns = [news(turn) for turn in range(5)]
found["news"] = median([took(lambda turn=turn: session.edits.take_news(turn, {})) for turn in turns])
print(json.dumps(found))
window.close()
"""


def measure(folder: Path) -> list[Line]:
    """Measure an edit, three hundred changes of others, and a lane that moves."""
    homes = {f"XDG_{name}_HOME": str(folder / f"{name}-3000") for name in ("CONFIG", "DATA", "STATE")}
    environment = {**os.environ, **homes, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", _CODE, "Read"], env=environment, capture_output=True, text=True,
                          check=True)  # fmt: skip
    found = json.loads(done.stdout)
    moved = _moved(folder)
    lines = []
    for name, words, reach in (("edit", "an edit with 3 000 layouts", 10), ("news", "300 changes by others", 50)):
        itself, shown = (seconds * 1e3 for seconds in found[name])
        lines.append(Line(f"{words}, interface thread", f"{itself:.1f} ms", f"{reach} ms", itself < reach))
        lines.append(Line("  and all of Read painted again", f"{shown:.1f} ms"))
    return [*lines, Line("a lane moved with 10 M frames, on a thread", f"{moved * 1e3:.0f} ms", "50 ms", moved < 0.05)]


def _moved(folder: Path) -> float:
    """Return how long it takes to move one of four lanes of ten million frames."""
    path = folder / "ten-million-four-lanes"
    if not path.exists():
        stored = stored_capture(folder)
        with CaptureWriter(path) as writer:
            for rows in stored.order.chunks(0, len(stored), 1_000_000):
                writer.append(replace(stored.frames.table(rows), lane=(rows % 4).astype(np.uint16)))
            writer.finish([Lane(f"lane {number}") for number in range(4)])
    times = []
    for _ in range(3):
        # opened anew each time, so that nothing is known of the lanes yet
        capture = open_capture(path)
        lane_density(capture, 1000)
        begin = time.perf_counter()
        moved = capture.moved({2: -7_000_000})
        lane_density(moved, 1000)
        moved.order.rows(5_000_000, 5_000_100)
        times.append(time.perf_counter() - begin)
    return min(times)
