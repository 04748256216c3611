"""The frames of one kind as questions look at them: not too many, with what is asked of them again and again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..frames.segment_frames import KindFrames

MOST_FRAMES = 12_000
_BLOCKS = 6


def raw_of(matrix: NDArray[np.uint8], bits: Sequence[int]) -> NDArray[np.uint64]:
    """Return bits of every row, most significant first, as numbers without sign; uint64 (n,), at most 64 bits."""
    raw = np.zeros(len(matrix), np.uint64)
    for bit in bits:
        raw = raw << np.uint64(1) | (matrix[:, bit // 8] >> np.uint8(bit % 8) & np.uint8(1))
    return raw


def most_frequent(values: NDArray[np.integer]) -> int:
    """Return the value that comes most often, the lowest of those that come as often; 0 if there are none."""
    different, counts = np.unique(values, return_counts=True)
    return int(different[counts.argmax()]) if len(different) else 0


def _stretches(count: int, most: int) -> NDArray[np.int64]:
    """Return about ``most`` of so many places in evenly chosen stretches; int64 (stretches, length)."""
    length = most // _BLOCKS
    return np.linspace(0, count - length, _BLOCKS).astype(np.int64)[:, None] + np.arange(length)


@dataclass(frozen=True, eq=False)
class Seen:
    """Frames of a kind, all of one size, in order of time.

    Attributes
    ----------
    time_ns : int64 (n,)
    matrix : uint8 (n, size)
    follows : bool (n,)
        Whether the frame before it in the recording is the one before it here; false where frames were left out.
    total
        How many frames of the kind there are in the recording.
    """

    time_ns: NDArray[np.int64]
    matrix: NDArray[np.uint8]
    follows: NDArray[np.bool_] = field(repr=False)
    total: int

    @classmethod
    def of(cls, frames: KindFrames, size: int, most: int = MOST_FRAMES) -> Seen:
        """Return those of a size, evenly chosen stretches of them where they are too many."""
        return cls._of(frames, frames.sizes == size, size, most)

    @classmethod
    def beginnings(cls, frames: KindFrames, size: int, most: int = MOST_FRAMES) -> Seen:
        """Return the first bytes of all that have so many, chosen likewise."""
        return cls._of(frames, frames.sizes >= size, size, most)

    @classmethod
    def filled_up(cls, frames: KindFrames, size: int, most: int = MOST_FRAMES) -> Seen:
        """Return those of up to a size with zeros behind their ends, chosen likewise."""
        return cls._of(frames, frames.sizes <= size, size, most)

    @classmethod
    def _of(cls, frames: KindFrames, wanted: NDArray[np.bool_], size: int, most: int) -> Seen:
        alike = np.flatnonzero(wanted)
        chosen, follows = cls.stretches_of(alike, most)
        # frames of another size between them, or that were left out, break a stretch
        follows[1:] &= np.diff(frames.rows[chosen].astype(np.int64)) > 0
        follows[1:] &= np.diff(chosen) == 1
        matrix = np.ascontiguousarray(frames.matrix[chosen, :size])
        return cls(frames.time_ns[chosen], matrix, follows, len(alike))

    @staticmethod
    def stretches_of(frames: NDArray[np.integer], most: int) -> tuple[NDArray[np.integer], NDArray[np.bool_]]:
        """Return all of some frames, or evenly chosen stretches of them, and which of those follow the one before."""
        chosen = np.arange(len(frames)) if len(frames) <= most else _stretches(len(frames), most).reshape(-1)
        follows = np.zeros(len(chosen), np.bool_)
        follows[1:] = np.diff(chosen) == 1
        return frames[chosen], follows

    def __len__(self) -> int:
        return len(self.matrix)

    @property
    def size(self) -> int:
        """Payload bytes of each frame."""
        return self.matrix.shape[1]

    @cached_property
    def flips(self) -> NDArray[np.int64]:
        """In how many frames each bit is another than in the frame before; int64 (size * 8,)."""
        changed = np.unpackbits(self.matrix[1:] ^ self.matrix[:-1], axis=1, bitorder="little")
        return changed[self.follows[1:]].sum(axis=0, dtype=np.int64)

    @cached_property
    def moves(self) -> NDArray[np.bool_]:
        """Which bits are not the same in all frames; bool (size * 8,)."""
        different = (
            np.bitwise_or.reduce(self.matrix ^ self.matrix[:1], axis=0) if len(self) else self.matrix.sum(axis=0)
        )
        return np.unpackbits(different.astype(np.uint8), bitorder="little").astype(np.bool_)

    def raw(self, bits: tuple[int, ...]) -> NDArray[np.int64]:
        """Return bits, most significant first, as numbers without sign; int64 (n,), at most 63 bits."""
        return raw_of(self.matrix, bits).view(np.int64)

    def numbers(self, bits: tuple[int, ...], *, signed: bool) -> NDArray[np.int64]:
        """Return bits as numbers, in two's complement where they have a sign; int64 (n,), at most 63 bits."""
        raw = self.raw(bits)
        return np.where(raw >> (len(bits) - 1) & 1, raw - (1 << len(bits)), raw) if signed else raw

    def some(self, most: int) -> Seen:
        """Return stretches of the frames, about so many in all."""
        if len(self) <= most:
            return self
        stretches = _stretches(len(self), most)
        chosen = stretches.reshape(-1)
        follows = self.follows[chosen]
        follows[:: stretches.shape[1]] = False
        return Seen(self.time_ns[chosen], np.ascontiguousarray(self.matrix[chosen]), follows, self.total)

    def where(self, rows: NDArray[np.bool_]) -> Seen:
        """Return some of the frames, as a page of them is; the one before is the one before on the page."""
        chosen = np.flatnonzero(rows)
        # a frame follows the one before on its page if nothing between them was left out
        breaks = np.cumsum(~self.follows)[chosen]
        follows = np.zeros(len(chosen), np.bool_)
        follows[1:] = breaks[1:] == breaks[:-1]
        return Seen(self.time_ns[chosen], np.ascontiguousarray(self.matrix[chosen]), follows, len(chosen))
