"""The capture: segments of recordings on one clock, the lanes their frames were seen on, and their kinds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray

from .capture_kinds import CaptureKinds
from .order import TimeOrder, runs_of
from .segment import Placed, Segment
from .table import COLUMN_DTYPES, FrameTable

WORD = 8
"""Kind matrices are padded to whole 64-bit words, which is what the codec reads."""


@dataclass(frozen=True, slots=True)
class Lane:
    """One bus, line or link of a capture.

    Attributes
    ----------
    name
        As the engineer calls it: ``thruster``.
    protocol
        What it speaks: ``can``.
    note
        What is shown beside the name, such as ``CAN 500k``.
    """

    name: str
    protocol: str = "can"
    note: str = ""


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


@dataclass(frozen=True, eq=False)
class Capture:
    """Frames ready for work: segments, each put on the capture's clock and lanes, never copied or sorted again.

    A frame is known by its *row*, a number that stays the same while the capture grows and however lanes are moved;
    :attr:`order` says which rows come one after another.

    Attributes
    ----------
    segments
    lanes
        Lane of each lane number.
    kinds
        Index of message kinds.
    """

    segments: tuple[Placed, ...]
    lanes: tuple[Lane, ...]
    kinds: CaptureKinds

    @classmethod
    def of_segments(cls, segments: Iterable[Placed], lanes: Sequence[Lane]) -> Capture:
        """Put segments together; their bases are counted anew."""
        placed = _based(segments, 0)
        return cls(placed, tuple(lanes), CaptureKinds(placed))

    @classmethod
    def from_table(cls, table: FrameTable, lanes: Sequence[Lane]) -> Capture:
        """Return a capture of one segment in memory, sorted by time."""
        numbers = np.arange(len(lanes), dtype=np.uint16)
        placed = Placed(Segment.of(table), 0, numbers, np.zeros(len(lanes), np.int64))
        return cls.of_segments([placed] if len(table) else [], lanes)

    def grown(self, more: Iterable[Placed], lanes: Sequence[Lane] | None = None) -> Capture:
        """Return a capture with more segments behind; rows and kinds keep their numbers.

        Parameters
        ----------
        lanes
            All lanes, if new ones have come; those that are there keep their numbers.
        """
        placed = (*self.segments, *_based(more, len(self)))
        return Capture(placed, self.lanes if lanes is None else tuple(lanes), CaptureKinds(placed, self.kinds))

    def moved(self, by_ns: Mapping[int, int]) -> Capture:
        """Return a capture with lanes moved in time, by lane number; nothing is read, copied or sorted."""
        by = np.zeros(len(self.lanes), np.int64)
        for lane, added in by_ns.items():
            by[lane] = added
        placed = tuple(replace(one, shift_ns=one.shift_ns + by[one.lanes]) for one in self.segments)
        return Capture(placed, self.lanes, self.kinds)

    def __len__(self) -> int:
        last = self.segments[-1] if self.segments else None
        return last.base + len(last) if last is not None else 0

    @cached_property
    def order(self) -> TimeOrder:
        """All frames in order of time."""
        return TimeOrder(run for placed in self.segments for run in runs_of(placed))

    def order_of_lanes(self, lanes: frozenset[int]) -> TimeOrder:
        """Return the frames of some lanes in order of time."""
        return TimeOrder(run for placed in self.segments for run in runs_of(placed, lanes))

    def order_of_kind(self, kind: int) -> TimeOrder:
        """Return the frames of a kind in order of time."""
        return self.kinds.order(kind, self.segments)

    @property
    def origin_ns(self) -> int:
        """Time of the first frame, the zero of everything shown."""
        return self.order.span()[0]

    @property
    def end_ns(self) -> int:
        """Time of the last frame."""
        return self.order.span()[1]

    def time_digits(self) -> int:
        """Return how many digits behind the point of a second its times have: 3, 6 or 9."""
        found = [placed.segment.time_digits for placed in self.segments]
        found += [
            9 if shift % 1000 else 6 if shift % 1_000_000 else 3
            for placed in self.segments for shift in placed.shift_ns[list(placed.segment.lanes)].tolist()
        ]  # fmt: skip
        return max(found, default=3)

    # frames

    def frame(self, row: int) -> Frame:
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

    def kind_of(self, row: int) -> int:
        """Return the kind of a frame."""
        return int(self.kinds_of(np.array([row], np.uint32))[0])

    def kinds_of(self, rows: NDArray[np.integer]) -> NDArray[np.int32]:
        """Return the kind of each of some frames; int32 (n,)."""
        return self.kinds.numbers_of(self.lanes_of(rows), self.addresses_of(rows), self.flags_of(rows))

    def times_of(self, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the times of some frames; int64 (n,)."""
        return self._gathered(rows, np.dtype(np.int64), lambda placed, own: placed.times(own))

    def lanes_of(self, rows: NDArray[np.integer]) -> NDArray[np.uint16]:
        """Return the lane numbers of some frames; uint16 (n,)."""
        return self._gathered(rows, np.dtype(np.uint16), lambda one, own: one.lanes[one.segment.table.lane[own]])

    def addresses_of(self, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the addresses of some frames; int64 (n,)."""
        return self._column("address", rows)

    def flags_of(self, rows: NDArray[np.integer]) -> NDArray[np.uint32]:
        """Return the flags of some frames; uint32 (n,)."""
        return self._column("flags", rows)

    def sizes_of(self, rows: NDArray[np.integer]) -> NDArray[np.uint32]:
        """Return the payload sizes of some frames; uint32 (n,)."""
        return self._column("size", rows)

    def kind_size(self, kind: int) -> int:
        """Return the largest payload size of a kind, in bytes."""
        return max((int(_largest(size, rows)) for size, rows in self.kinds.sizes_of(kind)), default=0)

    def kind_frames(self, kind: int, first: int = 0, last: int | None = None) -> KindFrames:
        """Gather frames ``first .. last-1`` of a kind into a matrix."""
        return self.gather(self.kinds.rows(kind)[first:last])

    def gather(self, rows: NDArray[np.integer]) -> KindFrames:
        """Gather any rows into a matrix as wide as the longest of them, rounded up to 8 bytes."""
        wanted: NDArray[np.uint32] = np.asarray(rows, np.uint32)
        sizes = self.sizes_of(wanted)
        width = int(sizes.max(initial=0))
        matrix = np.zeros((len(wanted), max(WORD, (width + WORD - 1) // WORD * WORD)), np.uint8)
        for placed, own, where in self._by_segment(wanted):
            table = placed.segment.table
            if where is None:
                _gather(table.payload, table.start, table.size, own, matrix)
            else:
                part = np.zeros((len(own), matrix.shape[1]), np.uint8)
                _gather(table.payload, table.start, table.size, own, part)
                matrix[where] = part
        return KindFrames(wanted, self.times_of(wanted), sizes, matrix)

    def table_of(self, rows: NDArray[np.integer]) -> FrameTable:
        """Return some frames as a table of its own, in this order, on the capture's clock and lanes."""
        rows = np.asarray(rows, np.uint32)
        sizes = self.sizes_of(rows)
        ends = np.cumsum(sizes, dtype=np.int64)
        start = ends - sizes
        payload = np.empty(int(ends[-1]) if len(ends) else 0, np.uint8)
        for placed, own, where in self._by_segment(rows):
            table = placed.segment.table
            _copy(table.payload, table.start, table.size, own, payload, start if where is None else start[where])
        lanes, addresses = self.lanes_of(rows), self.addresses_of(rows)
        return FrameTable(self.times_of(rows), lanes, addresses, self.flags_of(rows), start, sizes, payload)

    def stretches(self, rows: NDArray[np.uint32]) -> Iterator[tuple[FrameTable, NDArray[np.integer]]]:
        """Yield tables that hold some frames, and their rows there, all together in the order of ``rows``."""
        if len(self.segments) <= 1:
            for placed in self.segments:
                yield placed.segment.table, rows
            return
        # a table of its own, so that a kernel sees each frame beside the one before, whatever segment that is in
        table = self.table_of(rows)
        yield table, np.arange(len(table), dtype=np.uint32)

    def in_order(self, first: int = 0, last: int | None = None) -> FrameTable:
        """Return the frames at places ``first .. last-1`` as a table of its own."""
        return self.table_of(self.order.rows(first, last))

    def _holding(self, row: int) -> Placed:
        return self.segments[int(np.searchsorted(self._bases, row, side="right")) - 1]

    @cached_property
    def _bases(self) -> NDArray[np.int64]:
        return np.array([placed.base for placed in self.segments], np.int64)

    def _column(self, name: str, rows: NDArray[np.integer]) -> NDArray:
        return self._gathered(rows, COLUMN_DTYPES[name], lambda placed, own: getattr(placed.segment.table, name)[own])

    def _gathered(self, rows: NDArray[np.integer], dtype: np.dtype, take) -> NDArray:  # type: ignore[no-untyped-def]
        """Return ``take(segment, its own rows)`` of all rows, in their order."""
        made = None
        for placed, own, where in self._by_segment(rows):
            if where is None:
                return take(placed, own)
            if made is None:
                made = np.empty(len(rows), dtype)
            made[where] = take(placed, own)
        return np.empty(0, dtype) if made is None else made

    def _by_segment(
        self, rows: NDArray[np.integer]
    ) -> Iterator[tuple[Placed, NDArray[np.integer], slice | NDArray[np.int64] | None]]:
        """Yield the segments that rows lie in, with their own numbers there, and which of the rows these are.

        The last is None where all rows lie in one segment.
        """
        if not len(rows):
            return
        if len(self.segments) == 1:
            yield self.segments[0], rows, None
            return
        bases = self._bases
        bounds = np.searchsorted(rows, bases) if bool(_rises(rows)) else None
        if bounds is not None:
            for number, (first, last) in enumerate(zip(bounds, [*bounds[1:], len(rows)], strict=True)):
                if first < last:
                    whole = last - first == len(rows)
                    own = rows[first:last] - rows.dtype.type(bases[number])
                    yield self.segments[number], own, None if whole else slice(int(first), int(last))
            return
        numbers = np.searchsorted(bases, rows, side="right") - 1
        for number in np.unique(numbers).tolist():
            where = np.flatnonzero(numbers == number)
            yield self.segments[number], rows[where] - rows.dtype.type(bases[number]), where


def _based(segments: Iterable[Placed], base: int) -> tuple[Placed, ...]:
    made = []
    for one in segments:
        if len(one):
            made.append(replace(one, base=base))
            base += len(one)
    return tuple(made)


def places_in(rows: NDArray[np.uint32], some: NDArray[np.uint32]) -> NDArray[np.int64]:
    """Return where some of these rows stand among them; rows need not rise, since segments may overlap in time."""
    order = np.argsort(rows, kind="stable")
    return order[np.searchsorted(rows, some, sorter=order)]


@njit(cache=True, nogil=True)
def _rises(rows):  # type: ignore[no-untyped-def]
    for i in range(1, len(rows)):
        if rows[i] < rows[i - 1]:
            return False
    return True


@njit(cache=True, nogil=True)
def _largest(size, rows):  # type: ignore[no-untyped-def]
    largest = np.uint32(0)
    for row in rows:
        if size[row] > largest:
            largest = size[row]
    return largest


@njit(cache=True, nogil=True)
def _gather(payload, start, size, rows, matrix):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        begin = start[rows[i]]
        for j in range(size[rows[i]]):
            matrix[i, j] = payload[begin + j]


@njit(cache=True, nogil=True)
def _copy(payload, start, size, rows, target, begins):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        begin, to = start[rows[i]], begins[i]
        for j in range(size[rows[i]]):
            target[to + j] = payload[begin + j]
