"""Frames bytes of any length, a segment at a time, so that memory does not grow with the recording."""

from __future__ import annotations

import dataclasses
import itertools
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..frames.table import FrameTable
from ..lines.result import LineResult
from ..links.framing import framing_of
from ..links.pieces import BYTE_NS, bytes_of
from .model import Recipe

SEGMENT_BYTES = 1 << 20
_MOST_SEGMENTS = 8


class SegmentFramer:
    """Puts bytes together to frames while they come in.

    A segment is framed as a whole, its frames are handed on up to the longest pause in its later half, and what comes
    behind it is framed once more with the next segment. What a way of framing makes of bytes depends on those since
    the last pause, so frames are the same as if all bytes had been framed at once.

    Parameters
    ----------
    recipe
        With a framing that takes bytes.
    put
        Takes frames, in order of time.
    byte_ns
        How far apart bytes of one piece are taken to be; nothing in streams of a network, whose pieces are just there.

    Attributes
    ----------
    frames
        How many were handed on.
    held_bytes
        How many bytes wait for more.

    Raises
    ------
    MisuseError
        If the framing takes something else.
    """

    def __init__(
        self, recipe: Recipe, put: Callable[[FrameTable], None], segment_bytes: int = SEGMENT_BYTES, *,
        byte_ns: int | None = None,
    ) -> None:  # fmt: skip
        assert recipe.framing is not None
        self._framing = recipe.framing
        self._way = framing_of(recipe.framing)
        if self._way.takes != "bytes":
            raise MisuseError(
                f"{self._way.name} takes {self._way.takes}, and this recording holds bytes.", where=recipe.name
            )
        self._put = put
        self._segment_bytes = segment_bytes
        self._byte_ns = BYTE_NS if byte_ns is None else byte_ns
        self._held: list[FrameTable] = []
        self.held_bytes = 0
        self.frames = 0

    def add(self, chunk: FrameTable) -> None:
        """Take pieces of bytes, in the order in which they were recorded."""
        for piece in _pieces(chunk, self._segment_bytes):
            self._held.append(piece)
            self.held_bytes += int(piece.size.sum())
            if self.held_bytes >= self._segment_bytes:
                self._cut()

    def finish(self) -> None:
        """Frame what is left."""
        if self._held:
            self._hand_on(self._framed(FrameTable.joined(self._held)).frames)
            self._held, self.held_bytes = [], 0

    def _framed(self, table: FrameTable) -> LineResult:
        return self._way.apply(self._framing, bytes_of(table, self._byte_ns))

    def _cut(self) -> None:
        table = FrameTable.joined(self._held)
        result = self._framed(table)
        frame_of_byte = result.marks.rows[:, 5]
        place = _place_to_cut(result, frame_of_byte)
        if place is None:
            self._held = [table]
            if self.held_bytes < _MOST_SEGMENTS * self._segment_bytes:
                return
            # a stretch without an end of any frame: noise, which is not held for ever
            place = len(frame_of_byte) // 2
        done = int(frame_of_byte[:place].max(initial=-1)) + 1
        self._hand_on(_first_frames(result.frames, done))
        rest = _behind(table, place, self._byte_ns)
        self._held, self.held_bytes = [rest], int(rest.size.sum())

    def _hand_on(self, frames: FrameTable) -> None:
        self.frames += len(frames)
        if len(frames):
            self._put(frames)


def _place_to_cut(result: LineResult, frame_of_byte: NDArray[np.int64]) -> int | None:
    """Return the byte before which a segment is cut: behind the last frame with a long pause after it.

    The last quarter is left alone, since what ends there may go on in the next segment.
    """
    run, count = result.byte_run, len(frame_of_byte)
    if run is None or len(run) != count:
        return None
    ends = np.flatnonzero((frame_of_byte[:-1] >= 0) & (frame_of_byte[1:] != frame_of_byte[:-1])) + 1
    ends = ends[(ends >= count // 4) & (ends < count - count // 4)]
    if not len(ends):
        return None
    pauses = run.start_ns[ends] - run.end_ns[ends - 1]
    # the last of those that are about as long as any: where all are alike, the first would leave most of the segment
    # to be framed again with every one that comes
    return int(ends[np.flatnonzero(pauses * 2 >= pauses.max())[-1]])


def _first_frames(frames: FrameTable, count: int) -> FrameTable:
    """Return the first frames, without payload that belongs to later ones."""
    first = frames.rows(0, count)
    end = int((first.start + first.size).max()) if count else 0
    return dataclasses.replace(first, payload=frames.payload[:end])


def _behind(table: FrameTable, place: int, byte_ns: int) -> FrameTable:
    """Return the pieces from a byte on; one that is cut keeps the time its rest had."""
    ends = np.cumsum(table.size.astype(np.int64))
    first = int(np.searchsorted(ends, place, side="right"))
    rest = table.rows(first, len(table))
    gone = place - (int(ends[first - 1]) if first else 0)
    start, size, time_ns = rest.start.copy(), rest.size.copy(), rest.time_ns.copy()
    if len(rest):
        start[0] += gone
        size[0] -= gone
        time_ns[0] += gone * byte_ns
    base = int(start.min()) if len(rest) else 0
    payload = table.payload[base:].copy() if len(rest) else table.payload[:0]
    return dataclasses.replace(rest, start=start - base, size=size, time_ns=time_ns, payload=payload)


def _pieces(chunk: FrameTable, most_bytes: int) -> list[FrameTable]:
    """Return a chunk in parts of about a segment, so that a long one is not held whole several times over."""
    ends = np.cumsum(chunk.size.astype(np.int64))
    if not len(ends) or ends[-1] <= most_bytes:
        return [chunk]
    bounds = np.unique(np.searchsorted(ends, np.arange(most_bytes, ends[-1] + most_bytes, most_bytes)))
    parts = [0, *(int(bound) for bound in bounds if 0 < bound < len(chunk)), len(chunk)]
    made = []
    for first, last in itertools.pairwise(parts):
        part = chunk.rows(first, last)
        base, end = int(part.start.min()), int((part.start + part.size).max())
        made.append(dataclasses.replace(part, start=part.start - base, payload=chunk.payload[base:end]))
    return made
