"""Conditions asked of ten million frames of fifteen kinds."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from bench.frames import stored_capture
from bench.table import Line, best
from zesty_abacus.core.conditions.bind import Known, bind
from zesty_abacus.core.conditions.hits import find
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.reading.meaning import Meaning

_ASKED = (
    ("facts of frames: address and size", "address > 3 and size == 8", 1.0),
    ("facts of frames: a gap and a flag", 'gap > 1 ms and not flag("bad check")', 1.0),
    ("bytes at a place, with a free half byte", 'bytes("?7", 2)', 3.0),
    ("a value in another unit", "speed > 12 kn", 3.0),
    ("a value that rises", "rises(speed)", 3.0),
    ("one after another within a time", "address == 3 then size == 8 and speed > 3000 within 1 ms", 3.0),
)


def measure(folder: Path) -> list[Line]:
    """Measure whole answers, hits in order of time."""
    capture = stored_capture(folder)
    speed = new_field("speed", parse_places("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 10), unit="m/s")
    addresses = sorted({key.address for key in capture.kinds.keys})
    layouts = [new_layout(f"Motion {n}", Applies(address=n, extended=n > 0x7FF), 8, [speed]) for n in addresses]
    meaning, known = Meaning.of(capture, layouts), Known([lane.name for lane in capture.lanes], layouts)
    lines = []
    for words, text, patience in _ASKED:
        term = bind(text, known)
        seconds, count = best(lambda term=term: find(meaning, term), rounds=2), len(find(meaning, term))
        words = f"{len(capture) // 10**6} M frames asked, {words}: {count} hits"
        lines.append(Line(words, f"{seconds:.2f} s", f"{patience:.0f} s", seconds < patience))
    return lines
