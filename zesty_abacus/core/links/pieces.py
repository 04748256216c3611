"""Frames that are pieces of a stream, as one run of bytes; ways of framing bytes, used on every stream of a network."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import COLUMN_DTYPES, FrameTable
from ..lines.result import ByteRun, LineResult, Marks
from .framing import Framing, FramingWay
from .telegrams import LengthFraming

_BYTE_NS = 1000


def bytes_of(table: FrameTable, byte_ns: int = _BYTE_NS) -> LineResult:
    """Return the bytes of frames as a run, each ``byte_ns`` after the one before it in its frame.

    That bytes are missing before a frame is a flag of its first byte.
    """
    sizes = table.size.astype(np.int64)
    total = int(sizes.sum())
    inside = np.arange(total) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    start = np.repeat(table.time_ns, sizes) + inside * byte_ns
    values = table.payload[np.repeat(table.start, sizes) + inside].astype(np.uint16)
    flags = np.where(inside == 0, np.repeat(table.flags & np.uint32(F.LOST_BEFORE), sizes), 0).astype(np.uint32)
    run = ByteRun(start, start + byte_ns, values, flags)
    rows = np.zeros((total, 7), np.int64)
    rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], rows[:, 5] = start, start + byte_ns, 5, values, -1
    empty = FrameTable.empty()
    return LineResult(empty, np.empty(0, np.int64), Marks(rows), byte_run=run)


def framed_streams(way: FramingWay, settings: Framing, pieces: FrameTable) -> FrameTable:
    """Return telegrams found in every stream by itself, each with the stream's address and way.

    Parameters
    ----------
    way
        That takes bytes.
    pieces
        Of streams, as :func:`.network.streams` gives them: in order within each stream.
    """
    if isinstance(settings, LengthFraming) and settings.gap_us is None:
        # a stream has no silence: how it was cut into pieces says nothing
        settings = msgspec.structs.replace(settings, gap_us=float("inf"))
    made = [_framed(way, settings, pieces, rows) for rows in streams_in(pieces)]
    return _joined([table for table in made if len(table)])


def streams_in(pieces: FrameTable) -> list[NDArray[np.int64]]:
    """Return the rows of each stream: one way of one connection."""
    way = pieces.address << 1 | ((pieces.flags & F.ANSWER) > 0)
    order = np.argsort(way, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(way[order])) + 1) if len(order) else []


def rows_of(table: FrameTable, rows: NDArray[np.int64]) -> FrameTable:
    """Return some frames of a table, with the same payload bytes."""
    return FrameTable(**{name: getattr(table, name)[rows] for name in COLUMN_DTYPES}, payload=table.payload)


def _framed(way: FramingWay, settings: Framing, pieces: FrameTable, rows: NDArray[np.int64]) -> FrameTable:
    own = rows_of(pieces, rows)
    # a telegram has the time of the piece that it begins in: when each byte of it was sent, nobody knows
    frames = way.apply(settings, bytes_of(own, byte_ns=0)).frames
    count = len(frames)
    answer = own.flags[0] & np.uint32(F.ANSWER)
    return FrameTable(
        frames.time_ns, np.full(count, own.lane[0], np.uint16), np.full(count, own.address[0], np.int64),
        frames.flags | answer, frames.start, frames.size, frames.payload,
    )  # fmt: skip


def _joined(tables: list[FrameTable]) -> FrameTable:
    """Return tables as one, in order of time."""
    if not tables:
        return FrameTable.empty()
    begins = np.cumsum([0, *(len(table.payload) for table in tables[:-1])])
    columns = {name: np.concatenate([getattr(table, name) for table in tables]) for name in COLUMN_DTYPES}
    columns["start"] = np.concatenate([table.start + begin for table, begin in zip(tables, begins, strict=True)])
    whole = FrameTable(**columns, payload=np.concatenate([table.payload for table in tables]))
    return rows_of(whole, np.argsort(whole.time_ns, kind="stable"))
