"""Times of rows in other forms than nanoseconds since 1970."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from .block import AnyBlock, Block, Blocks
from .columns import TEXT

TimeForm = Literal["ns", "seconds", "iso"]
TIME_FORMS: tuple[TimeForm, ...] = ("ns", "seconds", "iso")
_COLUMN = "time_ns"
_NAMES = {"seconds": "time_s", "iso": "time"}


def with_times(schema: pa.Schema, blocks: Blocks, form: TimeForm, start_ns: int) -> tuple[pa.Schema, Blocks]:
    """Return a table whose ``time_ns`` stands in another form.

    Parameters
    ----------
    form
        ``seconds`` since the start, as float64 in ``time_s``; ``iso``, as text of ISO 8601 in UTC with all nine digits
        behind the point in ``time``.
    start_ns
        The first frame of the capture.
    """
    place = schema.get_field_index(_COLUMN)
    if form == "ns" or place < 0:
        return schema, blocks
    kind = pa.float64() if form == "seconds" else TEXT
    made = schema.set(place, pa.field(_NAMES[form], kind))
    return made, blocks.then(lambda block: _changed(block, made, place, form, start_ns))


def _changed(block: AnyBlock, schema: pa.Schema, place: int, form: TimeForm, start_ns: int) -> AnyBlock:
    if not isinstance(block, Block):
        head = _changed(block.head, schema, place, form, start_ns)
        assert isinstance(head, Block), "the head of a sparse block is a plain one"
        return replace(block, head=head)
    if place not in block.columns:
        return replace(block, schema=schema)
    times = block.columns[place]
    column = _seconds(times, start_ns) if form == "seconds" else _iso(times)
    return replace(block, schema=schema, columns={**block.columns, place: column})


def _seconds(times: pa.Array, start_ns: int) -> pa.Array:
    # the difference is exact, so that microseconds of a day long gone are not lost in a float
    return pc.divide(pc.cast(pc.subtract(times, start_ns), pa.float64(), safe=False), 1e9)


def _iso(times: pa.Array) -> pa.Array:
    return pc.strftime(pc.cast(times, pa.timestamp("ns", "UTC")), format="%Y-%m-%dT%H:%M:%SZ")
