"""How bits live: which ever change, how often, and what they look like over time.

Bits are numbered ``byte * 8 + bit`` with bit 7 the highest of its byte, as places write them.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..progress import Progress
from .capture import Capture
from .segment_frames import widened

BLOCK = 256
"""Frames summed up in one step of a history pyramid."""

_CHUNK = 1 << 20


@dataclass(frozen=True, slots=True, eq=False)
class KindActivity:
    """How the bits of one kind live.

    Attributes
    ----------
    frames
        How many frames were looked at.
    size
        Largest payload in bytes.
    flips : int64 (size * 8,)
        How many frames differ from the one before, in each bit both frames have.
    ones : int64 (size * 8,)
        How many frames have the bit set.
    """

    frames: int
    size: int
    flips: NDArray[np.int64]
    ones: NDArray[np.int64]

    @property
    def moves(self) -> NDArray[np.bool_]:
        """Which bits ever change, bool (size * 8,)."""
        return self.flips > 0

    @property
    def moved(self) -> int:
        """How many bits ever change."""
        return int(self.moves.sum())


def kind_activity(
    capture: Capture, kind: int, progress: Progress | None = None, before: KindActivity | None = None
) -> KindActivity:
    """Count flips and ones of every bit of a kind.

    Parameters
    ----------
    before
        What was counted before the capture grew: only frames that are new are looked at.
    """
    count = capture.kinds.count(kind)
    counted = before.frames if before is not None else 0
    if before is not None and counted == count:
        return before
    size = capture.kind_size(kind)
    flips = np.zeros(size * 8, np.int64)
    ones = np.zeros(size * 8, np.int64)
    if before is not None:
        flips[: len(before.flips)] += before.flips
        ones[: len(before.ones)] += before.ones
    for first in range(counted, count, _CHUNK):
        if progress is not None:
            progress.step(first / count, "counting bits")
        # one row of overlap, so that the flip between two chunks is seen
        part, seen = capture.kinds.rows(kind, max(first - 1, 0), first + _CHUNK), int(first > 0)
        done = 0
        for table, own in capture.frames.stretches(part):
            if done:
                # the flip from the last frame of one segment to the first of the next
                pair = capture.frames.table(part[done - 1 : done + 1])
                _count_bits(pair.payload, pair.start, pair.size, np.arange(2, dtype=np.uint32), 2, flips, ones)
            _count_bits(table.payload, table.start, table.size, own, 0 if done else seen, flips, ones)
            done += len(own)
    return KindActivity(count, size, flips, ones)


def capture_activity(
    capture: Capture, progress: Progress | None = None, before: Sequence[KindActivity] = ()
) -> list[KindActivity]:
    """Count flips and ones of every kind, in the order of the kind index; ``before`` as for :func:`kind_activity`."""
    progress = progress or Progress()
    found = []
    done = 0

    def count(kind: int) -> KindActivity:
        return kind_activity(capture, kind, progress.quiet(), before[kind] if kind < len(before) else None)

    with ThreadPoolExecutor(len(os.sched_getaffinity(0))) as pool:
        counted = pool.map(count, range(len(capture.kinds.keys)))
        for kind, activity in enumerate(counted):
            found.append(activity)
            done += capture.kinds.count(kind)
            progress.step(done / max(len(capture), 1), "counting bits")
    return found


@njit(cache=True, nogil=True)
def _word_at(payload, at, count):  # type: ignore[no-untyped-def]
    """Return up to eight bytes as one word, the first lowest."""
    word = np.uint64(0)
    for j in range(count):
        word |= np.uint64(payload[at + j]) << np.uint64(8 * j)
    return word


@njit(cache=True, nogil=True)
def _add_bits(word, counts):  # type: ignore[no-untyped-def]
    """Add each bit of a word to its counter: 64 additions without a branch, which become a few vector ones."""
    for bit in range(64):
        counts[bit] += np.int64((word >> np.uint64(bit)) & np.uint64(1))


@njit(cache=True, nogil=True)
def _count_bits(payload, start, size, rows, skip, flips, ones):  # type: ignore[no-untyped-def]
    """Add up flips and ones, eight bytes at a time; the first ``skip`` rows only serve as the frame before."""
    flip_counts = np.zeros(64, np.int64)
    one_counts = np.zeros(64, np.int64)
    for begin in range(0, len(flips) // 8, 8):
        flip_counts[:] = 0
        one_counts[:] = 0
        before, had = np.uint64(0), np.int64(0)
        for i in range(len(rows)):
            have = min(max(np.int64(size[rows[i]]) - begin, 0), 8)
            # the whole word is the usual case, and a constant count is one load
            if have == 8:
                word = _word_at(payload, start[rows[i]] + begin, 8)
            else:
                word = _word_at(payload, start[rows[i]] + begin, have)
            if i >= skip:
                _add_bits(word, one_counts)
            if i > 0:
                shared = min(have, had)
                mask = ~np.uint64(0) if shared == 8 else (np.uint64(1) << np.uint64(8 * shared)) - np.uint64(1)
                _add_bits((word ^ before) & mask, flip_counts)
            before, had = word, have
        count = min(64, len(flips) - begin * 8)
        for bit in range(count):
            flips[begin * 8 + bit] += flip_counts[bit]
            ones[begin * 8 + bit] += one_counts[bit]


@dataclass(frozen=True, slots=True, eq=False)
class BitHistory:
    """Bits of one kind, ready to be drawn at any zoom.

    Attributes
    ----------
    time_ns : int64 (n,)
    matrix : uint8 (n, w)
    sums : uint16 (blocks, w * 8)
        Ones in each whole block of :data:`BLOCK` frames.
    """

    time_ns: NDArray[np.int64]
    matrix: NDArray[np.uint8]
    sums: NDArray[np.uint16]

    @classmethod
    def build(cls, time_ns: NDArray[np.int64], matrix: NDArray[np.uint8]) -> BitHistory:
        """Sum up blocks of frames once, so that later pictures cost only what is on screen."""
        return cls(time_ns, matrix, _block_sums(matrix, BLOCK))

    def grown(self, time_ns: NDArray[np.int64], matrix: NDArray[np.uint8]) -> BitHistory:
        """Return the history with more frames behind, whatever their width; only blocks that are new are summed up."""
        width = max(self.matrix.shape[1], matrix.shape[1])
        joined = np.concatenate([widened(self.matrix, width), widened(matrix, width)])
        sums = np.concatenate([
            widened(self.sums, width * 8), _block_sums(joined[len(self.sums) * BLOCK :], BLOCK)
        ])  # fmt: skip
        return BitHistory(np.concatenate([self.time_ns, time_ns]), joined, sums)

    def picture(self, first_ns: int, last_ns: int, columns: int, size: int) -> NDArray[np.float32]:
        """Return the share of ones a bit has in each column of time.

        Parameters
        ----------
        first_ns, last_ns
            The visible time; column ``c`` covers an equal, half-open part of it.
        columns
            Width of the picture.
        size
            Payload bytes to draw.

        Returns
        -------
        float32 (size * 8, columns)
            0 for only zeros, 1 for only ones, between for both. Row ``byte * 8 + (7 - bit)``: highest bit
            first. A column without a frame repeats the last frame before it, NaN before the first frame.
        """
        span = max(last_ns - first_ns, 1)
        edges = first_ns + (np.arange(columns + 1, dtype=np.float64) * (span / columns)).astype(np.int64)
        bounds = np.searchsorted(self.time_ns, edges)
        return _history_picture(self.matrix, self.sums, bounds, size, BLOCK)


@njit(cache=True, nogil=True)
def _block_sums(matrix, block):  # type: ignore[no-untyped-def]
    blocks = len(matrix) // block
    width = matrix.shape[1]
    sums = np.zeros((blocks, width * 8), np.uint16)
    for b in range(blocks):
        for i in range(b * block, (b + 1) * block):
            for j in range(width):
                byte = matrix[i, j]
                for bit in range(8):
                    sums[b, j * 8 + bit] += (byte >> bit) & 1
    return sums


@njit(cache=True, nogil=True)
def _history_picture(matrix, sums, bounds, size, block):  # type: ignore[no-untyped-def]
    columns = len(bounds) - 1
    picture = np.full((size * 8, columns), np.nan, np.float32)
    counts = np.zeros(size * 8, np.int64)
    for c in range(columns):
        first, last = bounds[c], bounds[c + 1]
        if first == last:
            first = first - 1
            if first < 0:
                continue
        counts[:] = 0
        i = first
        while i < last or i == first:
            if i % block == 0 and i + block <= last:
                for bit in range(size * 8):
                    counts[bit] += sums[i // block, bit]
                i += block
                continue
            for j in range(size):
                byte = matrix[i, j]
                for bit in range(8):
                    counts[j * 8 + bit] += (byte >> bit) & 1
            i += 1
        frames = i - first
        for j in range(size):
            for bit in range(8):
                picture[j * 8 + 7 - bit, c] = counts[j * 8 + bit] / frames
    return picture
