"""Which frames leave, and in which pieces."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture

CHUNK_ROWS = 100_000
"""Most frames of a chunk."""
CHUNK_BYTES = 1 << 24
"""Most bytes that the frames of a chunk carry, unless one alone carries more: as text they are twice as long."""
FRAME_ROWS = 65_536
"""Frames of a chunk where each is a row of few cells: with fewer, threads wait for each other more than they work."""
_FEWEST_ROWS = 20_000
_ROWS_A_KIND = 25
"""As many frames of a kind make decoding them at once worth while."""
_ROWS_FOR_THREADS = 200
"""With fewer frames of a kind decoding them is mostly Python's own work, of which one thread does more than several."""


@dataclass(frozen=True, slots=True)
class Span:
    """Which frames leave: places ``first .. last-1`` of the capture's order in time."""

    first: int
    last: int

    @classmethod
    def of(cls, capture: Capture, first_ns: int | None = None, last_ns: int | None = None) -> Span:
        """Return the places of a stretch of time, both ends included; None is no bound."""
        order = capture.order
        first = 0 if first_ns is None else order.count_until(first_ns, inclusive=False)
        last = len(order) if last_ns is None else order.count_until(last_ns)
        return cls(first, last)


Which = Span | NDArray[np.uint32] | None
"""Frames that leave: of a stretch, or these rows, which are in order of time; None is all."""


def chunks_of(capture: Capture, which: Which, rows: int | None = None) -> Iterator[NDArray[np.uint32]]:
    """Yield the rows of what leaves in order of time, a chunk at a time.

    Chunks are no larger than they must be: several are in memory at once, each with all that its frames say.

    Parameters
    ----------
    rows
        Most frames of a chunk; by how many kinds are to be decoded if left out.
    """
    for some in _chunks_of_rows(capture, which, min(rows or _rows_a_chunk(capture), CHUNK_ROWS)):
        yield from (some[part] for part in within_bytes(capture.frames.sizes(some)))


def _chunks_of_rows(capture: Capture, which: Which, rows: int) -> Iterator[NDArray[np.uint32]]:
    if isinstance(which, np.ndarray):
        return (which[first : first + rows] for first in range(0, len(which), rows))
    span = which or Span(0, len(capture))
    return capture.order.chunks(span.first, span.last, rows)


def within_bytes(sizes: NDArray[np.integer]) -> Iterator[slice]:
    """Yield stretches, one behind the other, of what carries no more than :data:`CHUNK_BYTES` together.

    Parameters
    ----------
    sizes : (n,)
        Bytes that each carries; one that carries more is alone.
    """
    ends = np.cumsum(sizes, dtype=np.int64)
    first = 0
    while first < len(ends):
        before = ends[first - 1] if first else 0
        last = max(int(np.searchsorted(ends, before + CHUNK_BYTES, side="right")), first + 1)
        yield slice(first, last)
        first = last


def threads_for(capture: Capture) -> int | None:
    """Return on how many threads chunks are best decoded; None is all there are."""
    return 1 if _rows_a_chunk(capture) < _ROWS_FOR_THREADS * len(capture.kinds.keys) else None


def _rows_a_chunk(capture: Capture) -> int:
    return min(max(_ROWS_A_KIND * len(capture.kinds.keys), _FEWEST_ROWS), CHUNK_ROWS)
