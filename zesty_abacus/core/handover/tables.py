"""Decoded values as Arrow tables, chunk by chunk, so that any length can leave."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..codec.columns import ArrayColumns, Decoded, FieldColumn, Validity
from ..errors import MisuseError
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames, places_in
from ..layouts.model import FieldKind
from ..reading.meaning import Meaning
from ..reading.readers import Reader
from .frame_table import Span, chunks_of

_RAW = pa.decimal128(20, 0)
"""Holds every int64 and uint64, so that no raw value is rounded."""

_TEXT = pa.string()
_VALIDITY_WORDS = pa.array([member.words for member in Validity])

LONG_SCHEMA = pa.schema(
    [
        ("time_ns", pa.int64()),
        ("lane", _TEXT),
        ("address", pa.int64()),
        ("message", _TEXT),
        ("field", _TEXT),
        ("raw", _RAW),
        ("value", pa.float64()),
        ("unit", _TEXT),
        ("label", _TEXT),
        ("valid", _TEXT),
    ]
)


def long_tables(meaning: Meaning, span: Span | None = None, kinds: Collection[int] | None = None) -> Iterator[pa.Table]:
    """Yield decoded values, a row a frame and field, in order of time.

    Fields that their selector excludes have no row, nor have frames that no layout reads. ``raw`` and ``value`` are
    empty for text and raw bytes, whose content is the ``label``; ``value`` is also empty where ``valid`` says that
    there is none.

    Parameters
    ----------
    kinds
        Numbers of the kinds that leave; None is all that anybody reads.

    Raises
    ------
    MisuseError
        If nobody reads any of them, so that there would be nothing to write, or a layout has problems.
    """
    chosen = _read_kinds(meaning, kinds)
    for rows in chunks_of(meaning.capture, span):
        mine = _by_kind(meaning.capture, rows, chosen)
        yield from _in_order(rows, [part for kind, some in mine for part in _long_parts(meaning, kind, some)])


def wide_schema(meaning: Meaning, kinds: Collection[int] | None = None) -> pa.Schema:
    """Return the schema of :func:`wide_tables`: time_ns, lane, address, message, then ``message.field``."""
    head = [("time_ns", pa.int64()), ("lane", _TEXT), ("address", pa.int64()), ("message", _TEXT)]
    seen: dict[str, pa.DataType] = {}
    for kind in _read_kinds(meaning, kinds):
        for reader in meaning.kinds[kind].readers:
            layout = meaning.plan(reader).layout
            for field in layout.once_a_frame():
                is_text = field.kind is FieldKind.NAMES or not field.raw_is_number
                seen.setdefault(f"{layout.name}.{field.name}", _TEXT if is_text else pa.float64())
    return pa.schema([*head, *seen.items()])


def wide_tables(meaning: Meaning, span: Span | None = None, kinds: Collection[int] | None = None) -> Iterator[pa.Table]:
    """Yield decoded values, a row a frame that is read and a column a field; empty where there is no value."""
    chosen = _read_kinds(meaning, kinds)
    schema = wide_schema(meaning, kinds)
    for rows in chunks_of(meaning.capture, span):
        parts = [
            (frames.rows, _wide_part(meaning.capture, reader, frames, decoded, schema))
            for kind, some in _by_kind(meaning.capture, rows, chosen)
            for reader, frames, decoded in meaning.decoded(kind, meaning.capture.frames.gather(some))
        ]
        yield from _in_order(rows, parts)


def _by_kind(
    capture: Capture, rows: NDArray[np.uint32], chosen: Collection[int]
) -> Iterator[tuple[int, NDArray[np.uint32]]]:
    """Yield those of the chosen kinds that are among some rows, each with its rows, in the order of ``rows``.

    It costs what the rows are, however many kinds there are.
    """
    kinds = capture.kinds_of(rows)
    order = np.argsort(kinds, kind="stable")
    bounds = np.flatnonzero(np.diff(kinds[order], prepend=-1, append=-1))
    wanted = set(chosen)
    for first, last in itertools.pairwise(bounds.tolist()):
        kind = int(kinds[order[first]])
        if kind in wanted:
            yield kind, rows[order[first:last]]


def _in_order(rows: NDArray[np.uint32], parts: Sequence[tuple[NDArray, pa.Table]]) -> Iterator[pa.Table]:
    """Yield parts of a chunk as one table in the order of its rows; each comes with the rows its lines are of."""
    if parts:
        places = places_in(rows, np.concatenate([some for some, _ in parts]))
        order = np.argsort(places, kind="stable")
        yield pa.concat_tables([part for _, part in parts]).take(pa.array(order))


def _read_kinds(meaning: Meaning, kinds: Collection[int] | None) -> list[int]:
    """Return the chosen kinds that anybody reads."""
    known = range(len(meaning.kinds)) if kinds is None else sorted(kinds)
    read = [kind for kind in known if meaning.kinds[kind].readers]
    if not read:
        which = "this capture" if kinds is None else "what was chosen"
        raise MisuseError(f"no layout of the library reads any frame of {which}.")
    return read


def _long_parts(meaning: Meaning, kind: int, rows: NDArray[np.uint32]) -> Iterator[tuple[NDArray, pa.Table]]:
    capture = meaning.capture
    key = capture.kinds.keys[kind]
    for reader, frames, decoded in meaning.decoded(kind, capture.frames.gather(rows)):
        origin = capture.lanes[key.lane].name, key.address, reader.layout.name
        for column in decoded.columns.values():
            present = np.flatnonzero(column.validity != Validity.ABSENT)
            names = _repeat(column.field.name, len(present))
            yield frames.rows[present], _long_table(frames.time_ns[present], origin, names, column, present)
        for array in decoded.arrays.values():
            for column in array.columns.values():
                present = np.flatnonzero(column.validity != Validity.ABSENT)
                names = _item_names(array, present, column.field.name)
                owner = array.frame[present]
                yield frames.rows[owner], _long_table(frames.time_ns[owner], origin, names, column, present)


def _long_table(
    times: NDArray[np.int64], origin: tuple[str, int, str], names: pa.Array, column: FieldColumn, rows: NDArray
) -> pa.Table:
    count = len(rows)
    lane, address, message = origin
    return pa.table(
        [
            pa.array(times),
            _repeat(lane, count),
            pa.repeat(pa.scalar(address, pa.int64()), count),
            _repeat(message, count),
            names,
            _raw_array(column, rows),
            _value_array(column, rows),
            _repeat(column.field.unit, count),
            _label_array(column, rows),
            _VALIDITY_WORDS.take(pa.array(column.validity[rows])),
        ],
        schema=LONG_SCHEMA,
    )


def _item_names(array: ArrayColumns, rows: NDArray, field: str) -> pa.Array:
    """Return ``cells[3].voltage`` for items, with a number for each array around."""
    parts: list = [_repeat(array.name, len(rows))]
    for numbers in array.index[rows].T:
        parts += [_repeat("[", len(rows)), pc.cast(pa.array(numbers), _TEXT), _repeat("]", len(rows))]
    return pc.binary_join_element_wise(*parts, _repeat(f".{field}", len(rows)), "")


def _wide_part(capture: Capture, reader: Reader, frames: KindFrames, decoded: Decoded, schema: pa.Schema) -> pa.Table:
    rows = frames.rows
    count = len(rows)
    everything = np.arange(count)
    arrays: dict[str, pa.Array] = {
        "time_ns": pa.array(frames.time_ns),
        "lane": _repeat(capture.lanes[int(capture.frames.lanes(rows[:1])[0])].name, count),
        "address": pa.array(capture.frames.addresses(rows)),
        "message": _repeat(reader.layout.name, count),
    }
    for column in decoded.columns.values():
        name = f"{reader.layout.name}.{column.field.name}"
        if schema.get_field_index(name) < 0:
            # carried by another layout: in the long table only
            continue
        if schema.field(name).type != _TEXT:
            arrays[name] = _value_array(column, everything)
        else:
            numbers = None if column.raw is None else pc.cast(pa.array(column.raw), _TEXT)
            labels = _label_array(column, everything)
            text = labels if numbers is None else pc.coalesce(labels, numbers)
            arrays[name] = pc.if_else(pa.array(column.has_value), text, pa.scalar(None, _TEXT))
    return pa.table([arrays.get(f.name, pa.nulls(count, f.type)) for f in schema], schema=schema)


def _repeat(text: str, count: int) -> pa.Array:
    return pa.repeat(pa.scalar(text, _TEXT), count)


def _raw_array(column: FieldColumn, rows: NDArray) -> pa.Array:
    if column.raw is None:
        return pa.nulls(len(rows), _RAW)
    return pa.array(column.raw[rows]).cast(_RAW)


def _value_array(column: FieldColumn, rows: NDArray) -> pa.Array:
    if column.value is None:
        return pa.nulls(len(rows), pa.float64())
    return pa.array(column.value[rows].astype(np.float64), mask=~column.has_value[rows])


def _label_array(column: FieldColumn, rows: NDArray) -> pa.Array:
    if column.content is not None:
        return pa.array([column.text_of(row) for row in rows], _TEXT)
    if not column.field.names:
        return pa.nulls(len(rows), _TEXT)
    codes = column.label_codes()[rows]
    names = pa.array([named.label for named in column.field.names], _TEXT)
    return names.take(pa.array(codes, mask=codes < 0))
