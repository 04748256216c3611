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

from bench.commands import many_layouts, write_log
from bench.desk import OPENED
from bench.frames import stored_capture
from bench.table import Line
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.frames.density import lane_density
from zesty_abacus.core.frames.store import CaptureWriter, open_capture
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.trial.trial import Trial

_CODE = (
    OPENED
    + """
import msgspec
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
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
session.in_hand.take_kind(kind)
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
)

_MANY = """
import json, sys, time
from pathlib import Path
from PyQt6.QtTest import QTest
from zesty_abacus.desk.launch import make_application, make_window
application = make_application()
window = make_window(paths=[Path(sys.argv[1])])
window.resize(1280, 800)
window.show()
session, found = window.session, {}
def longest(work=lambda: None):
    quiet, most = 0, 0.0
    begin = time.perf_counter()
    work()
    while quiet < 30:
        application.processEvents()
        most = max(most, time.perf_counter() - begin)
        quiet = quiet + 1 if session.jobs.is_idle() and session.reading.counts.explained else 0
        time.sleep(0.002)
        begin = time.perf_counter()
    return most
found["opened"] = longest()
assert len(list(session.reading.kinds_read())) == 2000
clock = session.clock
found["a step of the cursor"] = longest(lambda: clock.set_cursor(clock.first_ns + 10**6))
for name, line in (("readout", window.read.side.readout.filter), ("roster", window.roster.filter),
                   ("find box", window.header.find_box)):
    line.setFocus()
    found[f"a letter for the {name}"] = max(longest(lambda: QTest.keyClicks(line, letter)) for letter in "fie")
    line.clear()
    longest()
print(json.dumps(found))
window.close()
"""


def _many_kinds(folder: Path, environment: dict[str, str]) -> list[Line]:
    """Measure how long the interface thread stands still with two thousand known kinds."""
    path, place = folder / "many-kinds.log", folder / "many-kinds trial"
    if not place.exists():
        write_log(path, 20_000, 2000)
        library = Library.create(Trial.create(place, place.name).library_address)
        library.layouts.import_all(many_layouts(2000), author="bench", reason="bench")
        library.close()
    done = subprocess.run([sys.executable, "-c", _MANY, str(path)], env=environment, capture_output=True, text=True,
                          check=True)  # fmt: skip
    found = {name: seconds * 1e3 for name, seconds in json.loads(done.stdout).items()}
    return [
        Line(f"stands still with 2 000 known kinds: {name}", f"{took:.0f} ms", "50 ms", took < 50)
        for name, took in found.items()
    ]


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
    lines += _many_kinds(folder, environment)
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
