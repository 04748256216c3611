"""Problems of five million frames of three hundred kinds, each read by a layout with eight fields and a counter."""

from __future__ import annotations

from pathlib import Path
from uuid import uuid4

import msgspec
import numpy as np

from bench.table import Line, best
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.model import Applies, Layout, RawSet, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.problems.look import look_for_problems
from zesty_abacus.core.reading.meaning import Meaning

_KINDS, _FRAMES = 300, 5_000_000


def measure(_folder: Path) -> list[Line]:
    """Measure all of it, and what an edit of one layout costs then."""
    capture, layouts = _capture(), [_layout(number) for number in range(_KINDS)]
    meaning = Meaning.of(capture, layouts)
    found = look_for_problems(meaning)
    seconds = best(lambda: look_for_problems(meaning), rounds=2)
    edited = meaning.changed({layouts[0].id: msgspec.structs.replace(layouts[0], name="another")})
    again = best(lambda: look_for_problems(edited, before=found), rounds=2)
    told = len(found.problems)
    return [
        Line(f"problems of 5 M frames, 300 kinds: {told} found", f"{seconds:.1f} s", "10 s", seconds < 10),
        Line("  after an edit of one layout", f"{again * 1e3:.0f} ms"),
    ]


def _capture() -> Capture:
    random = np.random.default_rng(7)
    number = np.arange(_FRAMES)
    kind, turn = number % _KINDS, number // _KINDS
    data = random.integers(0, 200, (_FRAMES, 8), np.uint8)
    data[:, 7] = turn
    lost = random.random(_FRAMES) > 0.001
    times = turn * 10_000_000 + kind * 30_000 + random.integers(0, 20_000, _FRAMES)
    kept = np.flatnonzero(lost)
    table = FrameTable(
        times[kept], np.zeros(len(kept), np.uint16), kind[kept] + 0x100, np.zeros(len(kept), np.uint32),
        np.arange(len(kept), dtype=np.int64) * 8, np.full(len(kept), 8, np.uint32), data[kept].reshape(-1),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("deck", bit_rate=1_000_000),))


def _layout(number: int) -> Layout:
    fields = [
        new_field(f"field {n}", parse_places(f"B{n}"), unit="kN", high=198, unavailable=RawSet.of(7)) for n in range(7)
    ]
    count = new_field("count", parse_places("B7"))
    counter = Counter(id=uuid4(), name="goes up", field=count.id)
    return new_layout(f"message {number}", Applies(address=number + 0x100), 8, [*fields, count], checks=[counter])
