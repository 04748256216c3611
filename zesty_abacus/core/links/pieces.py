"""Frames that are pieces of a stream: as one run of bytes, and stream by stream."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import ByteRun, LineResult, Marks
from .framing import Framing
from .telegrams import LengthFraming

BYTE_NS = 1000


def bytes_of(table: FrameTable, byte_ns: int | None = None) -> LineResult:
    """Return the bytes of frames as a run, each ``byte_ns`` after the one before it in its frame.

    Where nobody says how long a byte takes, it takes next to nothing, so that all of a silence is one.
    That bytes are missing before a frame is a flag of its first byte.
    """
    byte_ns = BYTE_NS if byte_ns is None else byte_ns
    sizes = table.size.astype(np.int64)
    total = int(sizes.sum())
    inside = np.arange(total) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    start = np.repeat(table.time_ns, sizes) + inside * byte_ns
    values = table.compact().payload.astype(np.uint16)
    flags = np.where(inside == 0, np.repeat(table.flags & np.uint32(F.LOST_BEFORE), sizes), 0).astype(np.uint32)
    run = ByteRun(start, start + byte_ns, values, flags)
    rows = np.zeros((total, 7), np.int64)
    rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], rows[:, 5] = start, start + byte_ns, 5, values, -1
    empty = FrameTable.empty()
    return LineResult(empty, np.empty(0, np.int64), Marks(rows), byte_run=run)


def in_streams(settings: Framing) -> Framing:
    """Return settings of a way that takes bytes as they are in streams: how those were cut into pieces says nothing."""
    if isinstance(settings, LengthFraming) and settings.gap_us is None:
        return msgspec.structs.replace(settings, gap_us=float("inf"))
    return settings


def streams_in(pieces: FrameTable) -> list[NDArray[np.int64]]:
    """Return the rows of each stream: one way of one connection."""
    way = pieces.address << 1 | ((pieces.flags & F.ANSWER) > 0)
    order = np.argsort(way, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(way[order])) + 1) if len(order) else []
