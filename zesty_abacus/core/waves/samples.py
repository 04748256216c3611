"""Samples of a channel with a pyramid of their ranges, so that any zoom is drawn at once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..progress import Progress

BLOCK = 256
"""Samples summed up in one step of the pyramid, and steps summed up in one of the next."""
CHUNK = 1 << 20
"""Samples taken at once by whatever goes through all of them."""


@dataclass(frozen=True, slots=True, eq=False)
class Samples:
    """Samples of one channel, evenly spaced or each with its own time.

    Attributes
    ----------
    values : (n,) or (n, 2)
        As recorded, mostly mapped from a file; two columns are in-phase and quadrature.
    rate_hz : float
        Samples a second; of unevenly spaced ones, their mean.
    scale, offset : float
        ``physical = value * scale + offset``.
    unit
    begin_ns : int
        Time of the first sample.
    stamps_ns : int64 (n,) or None
        Time of each sample where they are not evenly spaced.
    lows, highs : float32 (blocks,)
        Range of each :data:`BLOCK` samples as recorded; empty until :meth:`with_ranges`.
    """

    values: NDArray
    rate_hz: float
    scale: float = 1.0
    offset: float = 0.0
    unit: str = ""
    begin_ns: int = 0
    stamps_ns: NDArray[np.int64] | None = None
    lows: NDArray[np.float32] = field(default_factory=lambda: np.empty(0, np.float32))
    highs: NDArray[np.float32] = field(default_factory=lambda: np.empty(0, np.float32))

    def __len__(self) -> int:
        return len(self.values)

    @property
    def is_iq(self) -> bool:
        """Whether these are in-phase and quadrature pairs."""
        return self.values.ndim == 2

    @property
    def end_ns(self) -> int:
        """Time of the last sample."""
        return self.time_of(len(self) - 1) if len(self) else self.begin_ns

    def time_of(self, index: float) -> int:
        """Return the time of a sample, or of a place between two."""
        if self.stamps_ns is not None:
            before = min(int(index), len(self) - 2) if len(self) > 1 else 0
            first, second = int(self.stamps_ns[before]), int(self.stamps_ns[min(before + 1, len(self) - 1)])
            return first + int((index - before) * (second - first))
        return self.begin_ns + round(index * 1e9 / self.rate_hz)

    def indexes_of(self, times_ns: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return the first sample at or after each time, clipped to the samples there are."""
        if self.stamps_ns is not None:
            return np.searchsorted(self.stamps_ns, times_ns)
        exact = (np.asarray(times_ns, np.float64) - self.begin_ns) * (self.rate_hz / 1e9)
        # a sample's own time was rounded to whole nanoseconds
        return np.clip(np.ceil(exact - 0.51 * self.rate_hz / 1e9 - 1e-9), 0, len(self)).astype(np.int64)

    def chunks(self, first: int = 0, last: int | None = None) -> Iterator[tuple[int, NDArray[np.float32]]]:
        """Yield (index of the first, float32 values as recorded) in order; pairs stay pairs."""
        last = len(self) if last is None else min(last, len(self))
        for begin in range(first, last, CHUNK):
            # what is beyond a single float is as good as endless
            with np.errstate(over="ignore", invalid="ignore"):
                part = np.ascontiguousarray(self.values[begin : min(begin + CHUNK, last)], np.float32)
            yield begin, part

    def physical(self, first: int, last: int) -> NDArray[np.float64]:
        """Return samples ``first .. last-1`` in their unit."""
        return self.values[first:last].astype(np.float64) * self.scale + self.offset

    def with_ranges(self, progress: Progress | None = None) -> Samples:
        """Return the samples with their pyramid; one pass over all of them."""
        if self.is_iq or (len(self.lows) and len(self.lows) == -(-len(self) // BLOCK)):
            return self
        blocks = -(-len(self) // BLOCK)
        lows, highs = np.empty(blocks, np.float32), np.empty(blocks, np.float32)
        for begin, chunk in self.chunks():
            if progress is not None:
                progress.step(begin / len(self), "summing up samples")
            _block_ranges(chunk, begin // BLOCK, lows, highs)
        return Samples(self.values, self.rate_hz, self.scale, self.offset, self.unit, self.begin_ns,
                       self.stamps_ns, lows, highs)  # fmt: skip

    def columns(self, first_ns: int, last_ns: int, columns: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return lowest and highest value in each of equal parts of a span, in the unit; NaN where none is.

        Each column also holds the sample before it, so that a steep flank is drawn whole.
        """
        edges = first_ns + (np.arange(columns + 1) * ((last_ns - first_ns) / columns)).astype(np.int64)
        bounds = self.indexes_of(edges)
        top_lows, top_highs = _upper(self.lows, self.highs)
        low, high = np.empty(columns), np.empty(columns)
        values = self.values if self.values.flags.c_contiguous else np.ascontiguousarray(self.values)
        _column_ranges(values, self.lows, self.highs, top_lows, top_highs, bounds, low, high)
        a, b = low * self.scale + self.offset, high * self.scale + self.offset
        return (a, b) if self.scale >= 0 else (b, a)


def _upper(lows: NDArray, highs: NDArray) -> tuple[NDArray, NDArray]:
    """Sum up whole groups of blocks once more; cheap enough to be made on each call."""
    whole = len(lows) // BLOCK * BLOCK
    if not whole:
        return lows[:0], highs[:0]
    return lows[:whole].reshape(-1, BLOCK).min(axis=1), highs[:whole].reshape(-1, BLOCK).max(axis=1)


@njit(cache=True, nogil=True)
def _block_ranges(values, block, lows, highs):  # type: ignore[no-untyped-def]
    for begin in range(0, len(values), BLOCK):
        low = high = values[begin]
        for index in range(begin + 1, min(begin + BLOCK, len(values))):
            value = values[index]
            low = min(low, value)
            high = max(high, value)
        lows[block], highs[block] = low, high
        block += 1


@njit(cache=True, nogil=True)
def _column_ranges(values, lows, highs, top_lows, top_highs, bounds, low, high):  # type: ignore[no-untyped-def]
    """Take whole groups, then whole blocks, then single samples: never more than a few hundred steps a column."""
    count = len(values)
    for column in range(len(low)):
        at, end = max(bounds[column] - 1, 0), min(bounds[column + 1], count)
        bottom, top = np.inf, -np.inf
        if bounds[column] >= count or bounds[column + 1] == 0:
            end = at
        while at < end:
            if at % (BLOCK * BLOCK) == 0 and at + BLOCK * BLOCK <= end and at // (BLOCK * BLOCK) < len(top_lows):
                group = at // (BLOCK * BLOCK)
                bottom, top = min(bottom, top_lows[group]), max(top, top_highs[group])
                at += BLOCK * BLOCK
            elif at % BLOCK == 0 and at + BLOCK <= end and at // BLOCK < len(lows):
                block = at // BLOCK
                bottom, top = min(bottom, lows[block]), max(top, highs[block])
                at += BLOCK
            else:
                value = float(values[at])
                bottom, top = min(bottom, value), max(top, value)
                at += 1
        low[column] = bottom if bottom <= top else np.nan
        high[column] = top if bottom <= top else np.nan
