"""Hits of a condition as a table: the frames, and what they say."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..reading.meaning import Meaning
from .block import Block, Blocks
from .chunks import chunks_of
from .columns import TEXT
from .frame_table import FRAME_SCHEMA, frame_columns
from .sayings import sayings

FOUND_SCHEMA = pa.schema([*FRAME_SCHEMA, ("message", TEXT), ("says", TEXT)])
SINCE_SCHEMA = pa.schema([*FOUND_SCHEMA, ("since_ns", pa.int64())])


def found_table(meaning: Meaning, rows: NDArray[np.uint32], since_ns: NDArray[np.int64] | None = None) -> Blocks:
    """Return hits, in order of time, as blocks of :data:`FOUND_SCHEMA`, or :data:`SINCE_SCHEMA`.

    Parameters
    ----------
    rows : uint32 (n,)
    since_ns : int64 (n,)
        Of *A then B*: how long ago the newest A was.
    """
    done = 0
    parts: list[tuple[NDArray[np.uint32], NDArray[np.int64] | None]] = []
    for some in chunks_of(meaning.capture, rows):
        parts.append((some, None if since_ns is None else since_ns[done : done + len(some)]))
        done += len(some)
    return Blocks(parts, lambda part: _block(meaning, *part))


def _block(meaning: Meaning, rows: NDArray[np.uint32], since: NDArray[np.int64] | None) -> Block:
    columns = frame_columns(meaning.capture, rows)
    columns["message"], columns["says"] = sayings(meaning, rows)
    if since is not None:
        columns["since_ns"] = pa.array(since)
    return Block.named(FOUND_SCHEMA if since is None else SINCE_SCHEMA, len(rows), columns, len(rows))
