"""Bits of a line of three levels: up is one bit, down the other, and the middle is the silence between bursts."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..waves.edges import Edges
from .result import BitRun

if TYPE_CHECKING:
    from .pulses import PulseLine

SILENT_UNITS = 0.6
"""A middle of so many symbols is silence, a shorter one a slow change of sign."""


def signed_bits(line: Edges, unit_ns: float, settings: PulseLine) -> BitRun:
    """Return the bits of each burst; one that touches an end of the recording is marked as cut short."""
    begins, ends, levels = stretches(line)
    silent = np.flatnonzero(begins[1:] - ends[:-1] > SILENT_UNITS * unit_ns) + 1
    counts = np.maximum(np.rint((ends - begins) / unit_ns), 1).astype(np.int64)
    stretch = np.repeat(np.arange(len(counts)), counts)
    place = np.arange(len(stretch)) - np.repeat(np.cumsum(counts) - counts, counts)
    length = (ends - begins)[stretch] / counts[stretch]
    start = begins[stretch] + np.rint(place * length).astype(np.int64)
    end = begins[stretch] + np.rint((place + 1) * length).astype(np.int64)
    bit = (place > 0) if settings.transitions else ((levels[stretch] > 0) == settings.one_is_long)
    firsts = np.concatenate([[0], silent]) if len(counts) else np.zeros(0, np.int64)
    bounds = np.concatenate([np.concatenate([[0], np.cumsum(counts)])[firsts], [len(stretch)]])
    flags = np.zeros(len(firsts), np.uint32)
    if len(firsts):
        flags[0] |= F.CUT_SHORT if begins[0] - line.begin_ns < unit_ns else 0
        flags[-1] |= F.CUT_SHORT if line.end_ns - ends[-1] < unit_ns else 0
    return BitRun(start, end, bit.astype(np.uint8), bounds, flags)


def stretches(line: Edges) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Return begin, end and sign of each stretch off the middle."""
    begins = np.concatenate([[line.begin_ns], line.time_ns]).astype(np.int64)
    ends = np.concatenate([line.time_ns, [line.end_ns]]).astype(np.int64)
    levels = np.concatenate([[line.first], line.level]).astype(np.int64)
    there = (levels != 0) & (ends > begins)
    return begins[there], ends[there], levels[there]
