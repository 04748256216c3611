"""Frames as Arrow tables, chunk by chunk in order of time; apart from decoded values, which need layouts."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.capture import Capture

CHUNK_ROWS = 100_000
_TEXT = pa.string()

FRAME_SCHEMA = pa.schema(
    [
        ("time_ns", pa.int64()),
        ("lane", _TEXT),
        ("address", pa.int64()),
        ("direction", _TEXT),
        ("flags", _TEXT),
        ("size", pa.uint32()),
        ("payload", _TEXT),
    ]
)


@dataclass(frozen=True, slots=True)
class Span:
    """Which frames leave: places ``first .. last-1`` of the capture's order in time."""

    first: int
    last: int

    @classmethod
    def of(cls, capture: Capture, first_ns: int | None = None, last_ns: int | None = None) -> Span:
        """Return the places of a stretch of time, both ends included; None is no bound."""
        order = capture.order
        first = 0 if first_ns is None else order.count_until(first_ns, inclusive=False)
        last = len(order) if last_ns is None else order.count_until(last_ns)
        return cls(first, last)


def frame_tables(
    capture: Capture, span: Span | None = None, kinds: Collection[int] | None = None
) -> Iterator[pa.Table]:
    """Yield frames as tables of :data:`FRAME_SCHEMA`; payload is hex, two digits a byte.

    Parameters
    ----------
    kinds
        Numbers of the kinds that leave; None is all.
    """
    lane_names = pa.array([lane.name for lane in capture.lanes], _TEXT)
    for rows in chunks_of(capture, span):
        if kinds is not None:
            rows = rows[np.isin(capture.kinds_of(rows), list(kinds))]
        if not len(rows):
            continue
        # a table of the chunk's own: the columns lie in several segments, each on its own clock
        part = capture.frames.table(rows)
        yield pa.table(
            [
                pa.array(part.time_ns),
                lane_names.take(pa.array(part.lane)),
                pa.array(part.address),
                _words_of(part.flags & (F.SENT | F.RECEIVED), F.direction_word),
                _words_of(part.flags, F.flag_words),
                pa.array(part.size),
                _payload_hex(part.payload, part.start, part.size),
            ],
            schema=FRAME_SCHEMA,
        )


def chunks_of(capture: Capture, span: Span | None) -> Iterator[NDArray[np.uint32]]:
    """Yield the rows of a stretch in order of time, a chunk at a time."""
    span = span or Span(0, len(capture))
    yield from capture.order.chunks(span.first, span.last, CHUNK_ROWS)


def _words_of(flags: NDArray[np.integer], words) -> pa.Array:  # type: ignore[no-untyped-def]
    """Turn flags into words, each distinct value once."""
    distinct, inverse = np.unique(flags, return_inverse=True)
    return pa.array([words(int(value)) for value in distinct], _TEXT).take(pa.array(inverse))


def _payload_hex(payload: NDArray[np.uint8], start: NDArray[np.int64], size: NDArray[np.uint32]) -> pa.Array:
    digits = np.frombuffer(b"0123456789ABCDEF", np.uint8)
    offsets = np.zeros(len(size) + 1, np.int64)
    np.cumsum(size, out=offsets[1:])
    source = np.repeat(start - offsets[:-1], size) + np.arange(offsets[-1])
    data = payload[source]
    text = np.empty((len(data), 2), np.uint8)
    text[:, 0] = digits[data >> 4]
    text[:, 1] = digits[data & 15]
    large = pa.LargeStringArray.from_buffers(
        len(size), pa.py_buffer(offsets * 2), pa.py_buffer(np.ascontiguousarray(text))
    )
    return large.cast(_TEXT)
