"""Frames as a table, in blocks in order of time; apart from decoded values, which need layouts."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import DataError
from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.table import FrameTable
from ..kernels.distinct import numbered
from .block import Block, Blocks
from .chunks import FRAME_ROWS, Which, chunks_of
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


_MOST_TEXT = 2**31 - 1
"""Letters of a column of texts, whose places have 32 bits with a sign."""
_DIGITS = np.frombuffer(b"0123456789ABCDEF", np.uint8)


def frame_table(capture: Capture, which: Which = None, kinds: Collection[int] | None = None) -> Blocks:
    """Return frames as blocks of :data:`FRAME_SCHEMA`; payload is hex, two digits a byte, words are the address's.

    Parameters
    ----------
    kinds
        Numbers of the kinds that leave; None is all.
    """
    chosen = None if kinds is None else np.array(sorted(kinds), np.int64)
    return Blocks(chunks_of(capture, which, FRAME_ROWS), lambda rows: _block(capture, chosen, rows))


def _block(capture: Capture, chosen: NDArray[np.int64] | None, rows: NDArray[np.uint32]) -> Block:
    frames = len(rows)
    if chosen is not None:
        rows = rows[np.isin(capture.kinds_of(rows), chosen)]
    return Block.named(FRAME_SCHEMA, len(rows), frame_columns(capture, rows), frames)


def frame_columns(capture: Capture, rows: NDArray[np.uint32]) -> dict[str, pa.Array]:
    """Return the columns of some frames by name."""
    # a table of the chunk's own: the columns lie in several segments, each on its own clock
    part = capture.frames.table(rows)
    distinct, codes = numbered(capture.kinds.numbers_of(part.lane, part.address, part.flags))
    return {
        "time_ns": pa.array(part.time_ns),
        "lane": words_column(part.lane, [lane.name for lane in capture.lanes]),
        "address": pa.array(part.address),
        "direction": _flag_column(part.flags & (F.SENT | F.RECEIVED), F.direction_word),
        "flags": _flag_column(part.flags, F.flag_words),
        "size": pa.array(part.size),
        "payload": _hex_of(part),
        "words": words_column(codes, [kind_words(capture, kind) for kind in distinct.tolist()]),
    }


def _flag_column(flags: NDArray[np.integer], words: Callable[[int], str]) -> pa.DictionaryArray:
    """Turn flags into words, each distinct value once."""
    distinct, codes = numbered(flags)
    return words_column(codes, [words(value) for value in distinct.tolist()])


def payload_hex(capture: Capture, rows: NDArray[np.uint32]) -> pa.Array:
    """Return the payloads of some frames as the column of that name writes them."""
    return _hex_of(capture.frames.table(rows))


def _hex_of(part: FrameTable) -> pa.Array:
    """Return the payloads of a table whose frames lie one behind the other in their order, with nothing between."""
    if 2 * len(part.payload) > _MOST_TEXT:
        # no chunk is so long unless a single frame is
        raise DataError(f"a frame of {len(part.payload)} bytes is longer than a table holds.", hint="Leave it out.")
    text = np.empty(2 * len(part.payload), np.uint8)
    _put_hex(part.payload, text)
    # in the form that TEXT has: a cast takes as long as the digits
    offsets = (2 * np.append(part.start, len(part.payload))).astype(np.int32)
    return pa.StringArray.from_buffers(len(part), pa.py_buffer(offsets), pa.py_buffer(text))


@njit(cache=True, nogil=True)
def _put_hex(data, text):  # type: ignore[no-untyped-def]
    for place in range(len(data)):
        text[2 * place] = _DIGITS[data[place] >> 4]
        text[2 * place + 1] = _DIGITS[data[place] & 15]
