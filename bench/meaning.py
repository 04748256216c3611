"""What frames mean: 3 000 layouts matched on 2 000 kinds, one of them edited, and explained bits of a real capture."""

from __future__ import annotations

from pathlib import Path

import msgspec
import numpy as np

from bench.table import Line, best
from zesty_abacus.core.frames.activity import capture_activity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.flags import EXTENDED
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, Layout, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.reading.explained import explain
from zesty_abacus.core.reading.meaning import Meaning

_KINDS, _LAYOUTS, _FRAMES = 2000, 3000, 5_000_000
_LANES = 4


def measure(_folder: Path) -> list[Line]:
    """Measure matching, an edit, and counting."""
    capture, layouts = many_kinds(4), many_layouts()
    matching = best(lambda: Meaning.of(capture, layouts))
    meaning = Meaning.of(capture, layouts)
    renamed = {layouts[7].id: msgspec.structs.replace(layouts[7], name="another")}
    edit = best(lambda: meaning.changed(renamed))
    wide = {layouts[7].id: msgspec.structs.replace(layouts[7], applies=Applies(address=None, protocol="can"))}
    widest = best(lambda: meaning.changed(wide))
    read = sum(bool(one.readers) for one in meaning.kinds)
    long = many_kinds(_FRAMES // _KINDS)
    of_long, activities = Meaning.of(long, layouts), capture_activity(long)
    counting = best(lambda: explain(of_long, activities), rounds=2)
    return [
        Line(f"3 000 layouts on 2 000 kinds, {read} read", f"{matching * 1e3:.1f} ms", "20 ms", matching < 0.02),
        Line("  one of them edited", f"{edit * 1e3:.1f} ms", "10 ms", edit < 0.01),
        Line("  one that asks for every address edited", f"{widest * 1e3:.1f} ms"),
        Line("explained bits of 2 000 kinds, 5 M frames, all anew", f"{counting:.1f} s"),
    ]  # fmt: skip


def many_kinds(frames_each: int) -> Capture:
    """Return a capture of 2 000 kinds on four lanes, half of them with long identifiers."""
    count = _KINDS * frames_each
    kind = np.arange(count) % _KINDS
    extended = kind % 2 == 1
    table = FrameTable(
        np.arange(count, dtype=np.int64) * 1000, (kind % _LANES).astype(np.uint16),
        np.where(extended, 0x18F00000 + kind, kind % 0x7FF).astype(np.int64),
        np.where(extended, EXTENDED, 0).astype(np.uint32), np.arange(count, dtype=np.int64) * 8,
        np.full(count, 8, np.uint32), np.random.default_rng(3).integers(0, 256, count * 8, np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, tuple(Lane(f"lane {number}") for number in range(_LANES)))


def many_layouts() -> list[Layout]:
    """Return 3 000 layouts: most for one address, one in ten for a span."""
    made = []
    for number in range(_LAYOUTS):
        extended = number % 2 == 1
        address = 0x18F00000 + number if extended else number % 0x7FF
        to = address + 3 if extended and number % 10 == 1 else None
        fields = [new_field(f"field {n}", parse_places(f"B{n}")) for n in range(8)]
        made.append(new_layout(f"message {number}", Applies(address=address, to=to, extended=extended), 8, fields))
    return made
