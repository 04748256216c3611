"""The capture: frames in columns, the lanes they were seen on, and their kinds."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numba import njit
from numpy.typing import NDArray

from .kinds import KindIndex, index_kinds
from .table import FrameTable

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


@dataclass(frozen=True, slots=True, eq=False)
class Capture:
    """A recording ready for work: sorted by time, indexed by kind.

    Attributes
    ----------
    table
        Frames in order of time.
    lanes
        Lane of each lane number.
    kinds
        Index of message kinds.
    path
        Folder of the stored form, or None for a capture that lives in memory.
    """

    table: FrameTable
    lanes: tuple[Lane, ...]
    kinds: KindIndex
    path: Path | None = field(default=None)

    @classmethod
    def from_table(cls, table: FrameTable, lanes: tuple[Lane, ...]) -> Capture:
        """Sort a table by time and index it, in memory."""
        table.check()
        if not is_sorted(table.time_ns):
            order = np.argsort(table.time_ns, kind="stable")
            table = take_rows(table, order)
        return cls(table, lanes, index_kinds(table))

    def __len__(self) -> int:
        return len(self.table)

    @property
    def origin_ns(self) -> int:
        """Time of the first frame, the zero of everything shown."""
        return int(self.table.time_ns[0]) if len(self.table) else 0

    def time_digits(self) -> int:
        """Return how many digits behind the point of a second its times have: 3, 6 or 9."""
        return int(_digits_of(self.table.time_ns))

    @property
    def end_ns(self) -> int:
        """Time of the last frame."""
        return int(self.table.time_ns[-1]) if len(self.table) else 0

    def kind_size(self, kind: int) -> int:
        """Return the largest payload size of a kind, in bytes."""
        rows = self.kinds.rows(kind)
        return int(_largest(self.table.size, rows)) if len(rows) else 0

    def kind_frames(self, kind: int, first: int = 0, last: int | None = None) -> KindFrames:
        """Gather frames ``first .. last-1`` of a kind into a matrix."""
        return self.gather(self.kinds.rows(kind)[first:last])

    def gather(self, rows: NDArray[np.uint32]) -> KindFrames:
        """Gather any rows into a matrix as wide as the longest of them, rounded up to 8 bytes."""
        rows = np.asarray(rows, np.uint32)
        table = self.table
        width = int(_largest(table.size, rows)) if len(rows) else 0
        width = max(WORD, (width + WORD - 1) // WORD * WORD)
        matrix = _gather(table.payload, table.start, table.size, rows, width)
        return KindFrames(rows, table.time_ns[rows], table.size[rows], matrix)


def take_rows(table: FrameTable, order: NDArray[np.integer]) -> FrameTable:
    """Return the rows in another order; the payload is shared, not moved."""
    return FrameTable(
        time_ns=table.time_ns[order],
        lane=table.lane[order],
        address=table.address[order],
        flags=table.flags[order],
        start=table.start[order],
        size=table.size[order],
        payload=table.payload,
    )


@njit(cache=True, nogil=True)
def is_sorted(times):  # type: ignore[no-untyped-def]
    """Return whether int64 times never go back."""
    for i in range(1, len(times)):
        if times[i] < times[i - 1]:
            return False
    return True


@njit(cache=True, nogil=True)
def _digits_of(times):  # type: ignore[no-untyped-def]
    digits = 3
    for i in range(len(times)):
        if times[i] % 1000:
            return 9
        if times[i] % 1000000:
            digits = 6
    return digits


@njit(cache=True, nogil=True)
def _largest(size, rows):  # type: ignore[no-untyped-def]
    largest = np.uint32(0)
    for row in rows:
        if size[row] > largest:
            largest = size[row]
    return largest


@njit(cache=True, nogil=True)
def _gather(payload, start, size, rows, width):  # type: ignore[no-untyped-def]
    matrix = np.zeros((len(rows), width), np.uint8)
    for i in range(len(rows)):
        begin = start[rows[i]]
        for j in range(size[rows[i]]):
            matrix[i, j] = payload[begin + j]
    return matrix
