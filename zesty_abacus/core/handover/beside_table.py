"""Streams beside the first of them as a table, a row a stream."""

from __future__ import annotations

from collections.abc import Sequence

import pyarrow as pa

from ..beside.compare import Side
from ..frames.flags import flag_words
from ..reading.meaning import Meaning
from .columns import TEXT
from .kind_words import kind_words

BESIDE_SCHEMA = pa.schema(
    [
        ("lane", TEXT),
        ("address", pa.int64()),
        ("flags", TEXT),
        ("words", TEXT),
        ("message", TEXT),
        ("frames", pa.int64()),
        ("period_ns", pa.int64()),
        ("matched_by", TEXT),
        ("matched", pa.int64()),
        ("lag_ns", pa.int64()),
        ("lag_spread_ns", pa.int64()),
        ("missing", pa.int64()),
        ("added", pa.int64()),
        ("differing", pa.int64()),
        ("first_difference_ns", pa.int64()),
        ("differs", TEXT),
        ("says", TEXT),
    ]
)


def beside_table(meaning: Meaning, sides: Sequence[Side]) -> pa.Table:
    """Return streams as a table of :data:`BESIDE_SCHEMA`; what compares is empty for the first one."""
    rows = [_row(meaning, side, sides[0]) for side in sides]
    return pa.Table.from_pylist(rows, schema=BESIDE_SCHEMA)


def _row(meaning: Meaning, side: Side, first: Side) -> dict[str, object]:
    capture = meaning.capture
    key = capture.kinds.keys[side.kind]
    row: dict[str, object] = {
        "lane": capture.lanes[key.lane].name, "address": key.address, "flags": flag_words(key.flags),
        "words": kind_words(capture, side.kind), "frames": side.frames, "period_ns": side.period_ns or None,
        "message": ", ".join(reader.layout.name for reader in meaning.kinds[side.kind].readers),
    }  # fmt: skip
    if side is first:
        return row
    row |= {"says": side.words(first), "matched": len(side.matched), "matched_by": side.matched.by}
    if len(side.matched):
        row |= {
            "lag_ns": side.matched.lag_ns, "lag_spread_ns": round(side.matched.spread_ns), "missing": len(side.missing),
            "added": len(side.added), "differing": len(side.parts_ns),
            "first_difference_ns": int(side.parts_ns[0]) if len(side.parts_ns) else None,
            "differs": ", ".join(name for name, _count in side.differs),
        }  # fmt: skip
    return row
