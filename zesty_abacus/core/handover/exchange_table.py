"""Requests and what came back as a table, a row each."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..pairing.exchanges import STATES, Exchanges
from ..reading.meaning import Meaning
from .block import Block, Blocks
from .chunks import within_bytes
from .columns import TEXT, words_column
from .frame_table import frame_columns, payload_hex
from .sayings import sayings

EXCHANGE_SCHEMA = pa.schema(
    [
        ("time_ns", pa.int64()),
        ("lane", TEXT),
        ("address", pa.int64()),
        ("words", TEXT),
        ("request", TEXT),
        ("asked", TEXT),
        ("asked_payload", TEXT),
        ("took_ns", pa.int64()),
        ("answer", TEXT),
        ("came", TEXT),
        ("came_payload", TEXT),
        ("state", TEXT),
    ]
)
_ROWS = 1 << 16


def exchange_table(meaning: Meaning, exchanges: Exchanges, which: NDArray[np.int64]) -> Blocks:
    """Return exchanges as blocks of :data:`EXCHANGE_SCHEMA`; ``which`` are their numbers, in the order they leave."""
    states = exchanges.states()
    return Blocks(_parts(meaning, exchanges, which), lambda part: _block(meaning, exchanges, states, part))


def _parts(meaning: Meaning, exchanges: Exchanges, which: NDArray[np.int64]) -> Iterator[NDArray[np.int64]]:
    """Yield the exchanges in pieces that can be held, with what was asked and what came of each."""
    frames = meaning.capture.frames
    for first in range(0, len(which), _ROWS):
        part = which[first : first + _ROWS]
        sizes = frames.sizes(exchanges.request[part]).astype(np.int64)
        answer = exchanges.answer[part]
        sizes[answer >= 0] += frames.sizes(answer[answer >= 0])
        yield from (part[piece] for piece in within_bytes(sizes))


def _block(meaning: Meaning, exchanges: Exchanges, states: NDArray[np.int8], part: NDArray[np.int64]) -> Block:
    capture = meaning.capture
    request = exchanges.request[part].astype(np.uint32)
    asked = frame_columns(capture, request)
    columns = {name: asked[name] for name in ("time_ns", "lane", "address", "words")}
    columns["request"], columns["asked"] = sayings(meaning, request)
    columns["asked_payload"] = asked["payload"]
    took, answer = exchanges.took_ns[part], exchanges.answer[part]
    columns["took_ns"] = pa.array(took, mask=took < 0)
    known = np.flatnonzero(answer >= 0)
    columns |= _came(meaning, answer[known].astype(np.uint32), known, len(part))
    columns["state"] = words_column(states[part], STATES)
    return Block.named(EXCHANGE_SCHEMA, len(part), columns, len(part))


def _came(meaning: Meaning, rows: NDArray[np.uint32], places: NDArray[np.int64], count: int) -> dict[str, pa.Array]:
    """Return the columns of the answers, nothing in the rows that have none."""
    message, says = sayings(meaning, rows)
    payload = payload_hex(meaning.capture, rows)
    where = np.full(count, -1, np.int64)
    where[places] = np.arange(len(places))
    taken = pa.array(where, mask=where < 0)
    return {"answer": message.take(taken), "came": says.take(taken), "came_payload": payload.take(taken)}
