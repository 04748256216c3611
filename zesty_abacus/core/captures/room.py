"""Room for the frames of one chunk, in the form the kernels fill."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames.table import FrameTable

_SPARE = 64
"""Payload bytes beyond the last frame, so that kernels may write whole words."""


class FrameRoom:
    """Columns that a kernel fills chunk by chunk; used again, since memory that was touched already is quick.

    Parameters
    ----------
    data_bytes
        Size of the chunk.
    frame_bytes
        The fewest bytes of the chunk that a frame takes.
    bad_bytes
        The fewest bytes that a broken piece takes.
    """

    def __init__(self, data_bytes: int, frame_bytes: int, bad_bytes: int) -> None:
        self._least = (frame_bytes, bad_bytes)
        self._data_bytes = data_bytes
        frames = data_bytes // frame_bytes + 2
        self.time_ns = np.empty(frames, np.int64)
        self.lane = np.zeros(frames, np.uint16)
        self.address = np.empty(frames, np.int64)
        self.flags = np.empty(frames, np.uint32)
        self.start = np.empty(frames, np.int64)
        self.size = np.empty(frames, np.uint32)
        self.payload = np.empty(data_bytes + _SPARE, np.uint8)
        self.bad = np.empty((data_bytes // bad_bytes + 2, 2), np.int64)

    def enough_for(self, data_bytes: int) -> FrameRoom:
        """Return this room if a chunk fits, else a larger one."""
        if self._data_bytes >= data_bytes:
            return self
        return FrameRoom(data_bytes + data_bytes // 4, *self._least)

    def arguments(self, payload: NDArray | None = None) -> tuple[NDArray, ...]:
        """Return the arrays in the order the kernels take them, the payload in another view if one is given."""
        target = self.payload if payload is None else payload
        return (
            self.time_ns, self.lane, self.address, self.flags, self.start, self.size, target, self.bad,
        )  # fmt: skip

    def table(self, frames: int, used: int) -> FrameTable:
        """Return the first frames and payload bytes as a table of its own."""
        return FrameTable(
            self.time_ns[:frames].copy(),
            self.lane[:frames].copy(),
            self.address[:frames].copy(),
            self.flags[:frames].copy(),
            self.start[:frames].copy(),
            self.size[:frames].copy(),
            self.payload[:used].copy(),
        )
