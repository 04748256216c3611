"""A selection of bits read every way, each with its curve, the smoothest first."""

from __future__ import annotations

from dataclasses import dataclass

from ..frames.decimate import Curve
from ..frames.segment_frames import KindFrames
from ..progress import Progress
from .readings import Reading, readings_of


@dataclass(frozen=True, slots=True, eq=False)
class ReadingCurve:
    """A way to read a selection, with its curve."""

    reading: Reading
    curve: Curve


MAX_RECKONED_ROWS = 500_000
"""The reckoner judges and draws at most this many frames, evenly taken."""


def reckon(bits: frozenset[int], frames: KindFrames, progress: Progress) -> list[ReadingCurve]:
    """Read a selection every way, smoothest first."""
    step = max(1, len(frames) // MAX_RECKONED_ROWS)
    matrix, sizes, times = frames.matrix[::step], frames.sizes[::step], frames.time_ns[::step]
    progress.step(0.1, "reading the selection")
    readings = readings_of(bits, matrix, sizes)
    progress.step(0.8, "preparing curves")
    return [ReadingCurve(item, Curve.build(times, item.column.plot_values())) for item in readings]
