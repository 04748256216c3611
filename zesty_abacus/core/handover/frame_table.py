"""Frames as a table, in blocks in order of time; apart from decoded values, which need layouts."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.table import FrameTable
from .block import Block, Blocks
from .chunks import Which, chunks_of
from .columns import TEXT, words_column
from .kind_words import kind_words

FRAME_SCHEMA = pa.schema(
    [
        ("time_ns", pa.int64()),
        ("lane", TEXT),
        ("address", pa.int64()),
        ("direction", TEXT),
        ("flags", TEXT),
        ("size", pa.uint32()),
        ("payload", TEXT),
        ("words", TEXT),
    ]
)


def frame_table(capture: Capture, which: Which = None, kinds: Collection[int] | None = None) -> Blocks:
    """Return frames as blocks of :data:`FRAME_SCHEMA`; payload is hex, two digits a byte, words are the address's.

    Parameters
    ----------
    kinds
        Numbers of the kinds that leave; None is all.
    """
    chosen = None if kinds is None else np.array(sorted(kinds), np.int64)
    return Blocks(chunks_of(capture, which), lambda rows: _block(capture, chosen, rows))


def _block(capture: Capture, chosen: NDArray[np.int64] | None, rows: NDArray[np.uint32]) -> Block:
    frames = len(rows)
    kinds = capture.kinds_of(rows)
    if chosen is not None:
        mine = np.isin(kinds, chosen)
        rows, kinds = rows[mine], kinds[mine]
    return Block.named(FRAME_SCHEMA, len(rows), frame_columns(capture, rows, kinds), frames)


def frame_columns(capture: Capture, rows: NDArray[np.uint32], kinds: NDArray[np.int32]) -> dict[str, pa.Array]:
    """Return the columns of some frames by name; ``kinds`` is the kind of each."""
    distinct, codes = np.unique(kinds, return_inverse=True)
    # a table of the chunk's own: the columns lie in several segments, each on its own clock
    part = capture.frames.table(rows)
    return {
        "time_ns": pa.array(part.time_ns),
        "lane": words_column(part.lane, [lane.name for lane in capture.lanes]),
        "address": pa.array(part.address),
        "direction": _flag_column(part.flags & (F.SENT | F.RECEIVED), F.direction_word),
        "flags": _flag_column(part.flags, F.flag_words),
        "size": pa.array(part.size),
        "payload": _payload_hex(part),
        "words": words_column(codes.reshape(-1), [kind_words(capture, kind) for kind in distinct.tolist()]),
    }


def _flag_column(flags: NDArray[np.integer], words: Callable[[int], str]) -> pa.DictionaryArray:
    """Turn flags into words, each distinct value once."""
    distinct, inverse = np.unique(flags, return_inverse=True)
    return words_column(inverse.reshape(-1), [words(int(value)) for value in distinct])


def _payload_hex(part: FrameTable) -> pa.Array:
    digits = np.frombuffer(b"0123456789ABCDEF", np.uint8)
    own = part.compact()
    data = own.payload
    offsets = np.append(own.start, len(data))
    text = np.empty((len(data), 2), np.uint8)
    text[:, 0] = digits[data >> 4]
    text[:, 1] = digits[data & 15]
    large = pa.LargeStringArray.from_buffers(
        len(part), pa.py_buffer(offsets * 2), pa.py_buffer(np.ascontiguousarray(text))
    )
    return large.cast(TEXT)
