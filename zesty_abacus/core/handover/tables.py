"""Frames and decoded values as Arrow tables, chunk by chunk, so that any length can leave."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..codec.columns import ArrayColumns, Decoded, FieldColumn, Validity
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames, places_in
from ..layouts.model import FieldKind
from ..reading.meaning import Meaning
from ..reading.readers import Reader

CHUNK_ROWS = 100_000
_RAW = pa.decimal128(20, 0)
"""Holds every int64 and uint64, so that no raw value is rounded."""

_TEXT = pa.string()
_VALIDITY_WORDS = pa.array([member.words for member in Validity])

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
    for rows in _chunks(capture, span):
        if kinds is not None:
            rows = rows[np.isin(capture.kinds_of(rows), list(kinds))]
        if not len(rows):
            continue
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
    for rows in _chunks(meaning.capture, span):
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
    for rows in _chunks(meaning.capture, span):
        parts = [
            (frames.rows, _wide_part(meaning.capture, reader, frames, decoded, schema))
            for kind, some in _by_kind(meaning.capture, rows, chosen)
            for reader, frames, decoded in meaning.decoded(kind, meaning.capture.frames.gather(some))
        ]
        yield from _in_order(rows, parts)


def _chunks(capture: Capture, span: Span | None) -> Iterator[NDArray[np.uint32]]:
    """Yield the rows of a stretch in order of time, a chunk at a time."""
    span = span or Span(0, len(capture))
    yield from capture.order.chunks(span.first, span.last, CHUNK_ROWS)


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
