"""Frames as columns: the one shape in which recorded frames travel through the program."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import DataError

COLUMN_DTYPES: dict[str, np.dtype] = {
    "time_ns": np.dtype(np.int64),
    "lane": np.dtype(np.uint16),
    "address": np.dtype(np.int64),
    "flags": np.dtype(np.uint32),
    "start": np.dtype(np.int64),
    "size": np.dtype(np.uint32),
}
"""Name and dtype of each per-frame column, in stored order."""


@dataclass(frozen=True, slots=True, eq=False)
class FrameTable:
    """A run of frames in columns.

    Attributes
    ----------
    time_ns : int64 (n,)
        Nanoseconds since 1970-01-01 UTC, or since the recording's own zero if it has no date.
    lane : uint16 (n,)
        Index of the lane a frame was seen on.
    address : int64 (n,)
        Identifier, unit or device address, as the lane's protocol has it.
    flags : uint32 (n,)
        Bits of :mod:`zesty_abacus.core.frames.flags`.
    start, size : int64 (n,), uint32 (n,)
        The frame's bytes are ``payload[start : start + size]``.
    payload : uint8 (m,)
        The bytes of all frames, one after another.
    """

    time_ns: NDArray[np.int64]
    lane: NDArray[np.uint16]
    address: NDArray[np.int64]
    flags: NDArray[np.uint32]
    start: NDArray[np.int64]
    size: NDArray[np.uint32]
    payload: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.time_ns)

    @classmethod
    def empty(cls) -> FrameTable:
        """Return a table without frames."""
        columns = {name: np.empty(0, dtype) for name, dtype in COLUMN_DTYPES.items()}
        return cls(**columns, payload=np.empty(0, np.uint8))

    @property
    def nbytes(self) -> int:
        """Size of all columns in bytes."""
        return sum(getattr(self, field.name).nbytes for field in fields(self))

    def payload_of(self, row: int) -> bytes:
        """Return the bytes of one frame."""
        start = int(self.start[row])
        return self.payload[start : start + int(self.size[row])].tobytes()

    def rows(self, first: int, last: int) -> FrameTable:
        """Return frames ``first .. last-1`` as views; ``start`` still counts from the whole payload."""
        part = {name: getattr(self, name)[first:last] for name in COLUMN_DTYPES}
        return FrameTable(**part, payload=self.payload)

    def chosen(self, rows: NDArray[np.integer] | NDArray[np.bool_] | slice) -> FrameTable:
        """Return some frames, or all in another order; the payload is shared, not moved."""
        return FrameTable(**{name: getattr(self, name)[rows] for name in COLUMN_DTYPES}, payload=self.payload)

    def by_time(self) -> FrameTable:
        """Return the frames in order of time; those of one moment stay in theirs."""
        return self.chosen(np.argsort(self.time_ns, kind="stable"))

    def compact(self) -> FrameTable:
        """Return the frames with no bytes besides their own, one behind the other, so that those of others can go."""
        start = np.cumsum(self.size, dtype=np.int64) - self.size
        payload = np.empty(int(self.size.sum()), np.uint8)
        _copy(self.payload, self.start, self.size, start, payload)
        return replace(self, start=start, payload=payload)

    def gathered(self) -> FrameTable:
        """Return the frames as :meth:`compact` does, but where they lie so already as a view of the payload."""
        if not len(self) or not _is_one_run(self.start, self.size):
            return self.compact()
        first, last = int(self.start[0]), int(self.start[-1]) + int(self.size[-1])
        return replace(self, start=self.start - first, payload=self.payload[first:last])

    @classmethod
    def joined(cls, tables: Sequence[FrameTable]) -> FrameTable:
        """Return the frames of tables, one behind the other; bytes that tables have in common are there once."""
        tables = [table for table in tables if len(table)]
        if len(tables) == 1:
            return tables[0]
        if not tables:
            return cls.empty()
        payloads = {id(table.payload): table.payload for table in tables}
        ends = np.cumsum([len(payload) for payload in payloads.values()])
        base = {key: int(end) - len(payloads[key]) for key, end in zip(payloads, ends, strict=True)}
        columns = {name: np.concatenate([getattr(table, name) for table in tables]) for name in COLUMN_DTYPES}
        columns["start"] = np.concatenate([table.start + base[id(table.payload)] for table in tables])
        every = list(payloads.values())
        return cls(**columns, payload=every[0] if len(every) == 1 else np.concatenate(every))

    def check(self) -> None:
        """Check that the columns belong together.

        Raises
        ------
        DataError
            If lengths differ or a frame's bytes lie outside the payload.
        """
        lengths = {name: len(getattr(self, name)) for name in COLUMN_DTYPES}
        if len(set(lengths.values())) > 1:
            raise DataError(f"the frame columns have different lengths: {lengths}.")
        if not _points_inside(self.start, self.size, len(self.payload)):
            raise DataError(f"a frame points outside the {len(self.payload)} payload bytes.")


@njit(cache=True, nogil=True)
def _copy(payload, start, size, to, target):  # type: ignore[no-untyped-def]
    """Copy byte by byte: an index of the bytes would take sixteen times their room."""
    for i in range(len(start)):
        for j in range(size[i]):
            target[to[i] + j] = payload[start[i] + j]


@njit(cache=True, nogil=True)
def _is_one_run(start, size):  # type: ignore[no-untyped-def]
    """Whether the bytes of each frame follow those of the one before."""
    for i in range(1, len(start)):
        if start[i] != start[i - 1] + np.int64(size[i - 1]):
            return False
    return True


@njit(cache=True, nogil=True)
def _points_inside(start, size, length):  # type: ignore[no-untyped-def]
    """Whether every frame's bytes lie inside the payload; the kernels rely on it and look no further."""
    for i in range(len(start)):
        if start[i] < 0 or start[i] > length or start[i] + np.int64(size[i]) > length:
            return False
    return True
