"""Frames of several segments by their rows: columns, matrices, tables."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .segment import Placed, is_sorted
from .table import COLUMN_DTYPES, FrameTable

WORD = 8
"""Kind matrices are padded to whole 64-bit words, which is what the codec reads."""


@dataclass(frozen=True, slots=True, eq=False)
class KindFrames:
    """The frames of one kind as a matrix.

    Attributes
    ----------
    rows : uint32 (n,)
        Row numbers in the capture.
    time_ns : int64 (n,)
    sizes : uint32 (n,)
        How many bytes of each matrix row were recorded.
    matrix : uint8 (n, w)
        Payload bytes, zero beyond a frame's size; ``w`` is a multiple of 8.
    """

    rows: NDArray[np.uint32]
    time_ns: NDArray[np.int64]
    sizes: NDArray[np.uint32]
    matrix: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.rows)

    def take(self, numbers: NDArray[np.integer]) -> KindFrames:
        """Return some of the frames, in this order."""
        return KindFrames(self.rows[numbers], self.time_ns[numbers], self.sizes[numbers], self.matrix[numbers])


@dataclass(frozen=True, slots=True)
class Frame:
    """One frame as it was recorded, its time on the capture's clock."""

    time_ns: int
    lane: int
    address: int
    flags: int
    payload: bytes


class SegmentFrames:
    """What is recorded of the frames of a capture, asked for by row.

    Parameters
    ----------
    segments
        Those of the capture, in order of their bases.
    """

    def __init__(self, segments: Sequence[Placed]) -> None:
        self._segments = segments
        self._bases = np.array([placed.base for placed in segments], np.int64)

    def at(self, row: int) -> Frame:
        """Return one frame."""
        placed = self._holding(row)
        table, own = placed.segment.table, row - placed.base
        lane = int(table.lane[own])
        return Frame(
            time_ns=int(table.time_ns[own]) + int(placed.shift_ns[lane]),
            lane=int(placed.lanes[lane]),
            address=int(table.address[own]),
            flags=int(table.flags[own]),
            payload=table.payload_of(own),
        )

    def times(self, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the times of some frames; int64 (n,)."""
        return self._gathered(rows, np.dtype(np.int64), lambda placed, own: placed.times(own))

    def lanes(self, rows: NDArray[np.integer]) -> NDArray[np.uint16]:
        """Return the lane numbers of some frames; uint16 (n,)."""
        return self._gathered(rows, np.dtype(np.uint16), lambda one, own: one.lanes[one.segment.table.lane[own]])

    def addresses(self, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the addresses of some frames; int64 (n,)."""
        return self._column("address", rows)

    def flags(self, rows: NDArray[np.integer]) -> NDArray[np.uint32]:
        """Return the flags of some frames; uint32 (n,)."""
        return self._column("flags", rows)

    def sizes(self, rows: NDArray[np.integer]) -> NDArray[np.uint32]:
        """Return the payload sizes of some frames; uint32 (n,)."""
        return self._column("size", rows)

    def gather(self, rows: NDArray[np.integer]) -> KindFrames:
        """Gather any rows into a matrix as wide as the longest of them, rounded up to 8 bytes."""
        wanted: NDArray[np.uint32] = np.asarray(rows, np.uint32)
        sizes = self.sizes(wanted)
        width = int(sizes.max(initial=0))
        matrix = np.zeros((len(wanted), max(WORD, (width + WORD - 1) // WORD * WORD)), np.uint8)
        for placed, own, where in self._by_segment(wanted):
            table = placed.segment.table
            if where is None or isinstance(where, slice):
                _gather(table.payload, table.start, table.size, own, matrix if where is None else matrix[where])
            else:
                part = np.zeros((len(own), matrix.shape[1]), np.uint8)
                _gather(table.payload, table.start, table.size, own, part)
                matrix[where] = part
        return KindFrames(wanted, self.times(wanted), sizes, matrix)

    def table(self, rows: NDArray[np.integer]) -> FrameTable:
        """Return some frames as a table of its own, in this order, on the capture's clock and lanes."""
        rows = np.asarray(rows, np.uint32)
        found = [(placed, _as_slice(own), where) for placed, own, where in self._by_segment(rows)]
        made = [_own_table(placed, own).gathered() for placed, own, _ in found]
        joined = FrameTable.joined(made)
        if all(where is None or isinstance(where, slice) for _, _, where in found):
            return joined
        # segments that overlap: what was taken one segment after another goes where it was asked for
        order = np.empty(len(rows), np.int64)
        order[np.concatenate([where for _, _, where in found])] = np.arange(len(rows))
        return joined.chosen(order).compact()

    def stretches(self, rows: NDArray[np.uint32]) -> Iterator[tuple[FrameTable, NDArray[np.integer]]]:
        """Yield tables that hold some frames, and their rows there, all together in the order of ``rows``."""
        if len(self._segments) <= 1 or bool(is_sorted(rows)):
            for placed, own, _where in self._by_segment(rows):
                yield placed.segment.table, own
        elif len(rows):
            # segments that overlap: a table of its own in the order asked for
            table = self.table(rows)
            yield table, np.arange(len(table), dtype=np.uint32)

    def _holding(self, row: int) -> Placed:
        return self._segments[int(np.searchsorted(self._bases, row, side="right")) - 1]

    def _column(self, name: str, rows: NDArray[np.integer]) -> NDArray:
        return self._gathered(rows, COLUMN_DTYPES[name], lambda placed, own: getattr(placed.segment.table, name)[own])

    def _gathered(self, rows: NDArray[np.integer], dtype: np.dtype, take) -> NDArray:  # type: ignore[no-untyped-def]
        """Return ``take(segment, its own rows)`` of all rows, in their order."""
        made = None
        for placed, own, where in self._by_segment(rows):
            if where is None:
                return take(placed, _as_slice(own))
            if made is None:
                made = np.empty(len(rows), dtype)
            made[where] = take(placed, _as_slice(own))
        return np.empty(0, dtype) if made is None else made

    def _by_segment(
        self, rows: NDArray[np.integer]
    ) -> Iterator[tuple[Placed, NDArray[np.integer], slice | NDArray[np.int64] | None]]:
        """Yield the segments that rows lie in, with their own numbers there, and which of the rows these are.

        The last is None where all rows lie in one segment.
        """
        if not len(rows):
            return
        if len(self._segments) == 1:
            yield self._segments[0], rows, None
            return
        # in the type of the rows: all of them would be converted to compare them otherwise
        bases = self._bases.astype(rows.dtype)
        bounds = np.searchsorted(rows, bases) if bool(is_sorted(rows)) else None
        if bounds is not None:
            for number, (first, last) in enumerate(zip(bounds, [*bounds[1:], len(rows)], strict=True)):
                if first < last:
                    whole = last - first == len(rows)
                    own = rows[first:last] - bases[number]
                    yield self._segments[number], own, None if whole else slice(int(first), int(last))
            return
        numbers = np.searchsorted(bases, rows, side="right") - 1
        for number in np.unique(numbers).tolist():
            where = np.flatnonzero(numbers == number)
            yield self._segments[number], rows[where] - bases[number], where


def _own_table(placed: Placed, rows: NDArray[np.integer] | slice) -> FrameTable:
    """Return some frames of a segment on the clock and the lanes of its capture; the payload is shared."""
    table = placed.segment.table
    return replace(table.chosen(rows), time_ns=placed.times(rows), lane=placed.lanes[table.lane[rows]])


def _as_slice(rows: NDArray[np.integer]) -> NDArray[np.integer] | slice:
    """Return rows of which each follows the one before as a slice: columns are then read whole, not picked from."""
    first, last = int(rows[0]), int(rows[-1])
    return slice(first, last + 1) if last - first == len(rows) - 1 and _follow(rows) else rows


@njit(cache=True, nogil=True)
def _follow(rows):  # type: ignore[no-untyped-def]
    for i in range(1, len(rows)):
        if rows[i] != rows[i - 1] + 1:
            return False
    return True


def widened(rows: NDArray, width: int) -> NDArray:
    """Return rows, (n, w), that are at least so wide, zero where they were shorter."""
    return np.pad(rows, ((0, 0), (0, width - rows.shape[1]))) if rows.shape[1] < width else rows


def places_in(rows: NDArray[np.uint32], some: NDArray[np.uint32]) -> NDArray[np.int64]:
    """Return where some of these rows stand among them; rows need not rise, since segments may overlap in time."""
    order = np.argsort(rows, kind="stable")
    return order[np.searchsorted(rows, some, sorter=order)]


@njit(cache=True, nogil=True)
def _gather(payload, start, size, rows, matrix):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        begin = start[rows[i]]
        for j in range(size[rows[i]]):
            matrix[i, j] = payload[begin + j]
