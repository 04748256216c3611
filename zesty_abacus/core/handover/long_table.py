"""Decoded values as a table with a row a frame and field, in blocks, so that any length can leave."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..codec.columns import ArrayColumns, Decoded, FieldColumn, Validity
from ..frames.capture import Capture
from ..reading.meaning import Meaning
from .block import Block, Blocks
from .chunks import Which, chunks_of, threads_for
from .columns import RAW, TEXT, raw_column, value_column, words_column
from .decoded_parts import decoded_parts, read_kinds
from .kind_words import kind_words
from .labels import LabelWords

LONG_SCHEMA = pa.schema(
    [
        ("time_ns", pa.int64()),
        ("lane", TEXT),
        ("address", pa.int64()),
        ("where", TEXT),
        ("message", TEXT),
        ("field", TEXT),
        ("raw", RAW),
        ("value", pa.float64()),
        ("unit", TEXT),
        ("label", TEXT),
        ("valid", TEXT),
    ]
)
_VALIDITY_WORDS = [member.words for member in Validity]
_ABSENT = int(Validity.ABSENT)


def long_table(meaning: Meaning, which: Which = None, kinds: Collection[int] | None = None) -> Blocks:
    """Return decoded values, a row a frame and field, in order of time.

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
        If nobody reads any of them.
    """
    chosen = read_kinds(meaning, kinds)
    chunks, threads = chunks_of(meaning.capture, which), threads_for(meaning.capture)
    return Blocks(chunks, lambda rows: _block(meaning, chosen, rows), threads=threads)


class _Source(NamedTuple):
    """What all values of a field in a kind share."""

    kind: int
    message: str
    field: str = ""
    unit: str = ""

    def of(self, field: str, unit: str) -> _Source:
        """Return the same of a field."""
        return _Source(self.kind, self.message, field, unit)


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """Values of one field, or of one field of the items of an array, in some of the chunk's frames.

    Attributes
    ----------
    sources : int64 (m,), or one for all
        Numbers of their sources.
    column
    rows : int64 (m,)
        Which rows of the column leave; None is all.
    owners : int64 (m,)
        The place of each one's frame in the chunk; the items of a frame stand in one run.
    is_single
        Whether each frame is there once at most.
    """

    sources: NDArray[np.int64] | int
    column: FieldColumn
    rows: NDArray[np.int64] | None
    owners: NDArray[np.int64]
    is_single: bool

    def count_into(self, counts: NDArray[np.int64]) -> None:
        """Add how many values each frame of the chunk has; it costs what the piece is, not the chunk."""
        if self.is_single:
            counts[self.owners] += 1
        else:
            np.add.at(counts, self.owners, 1)

    def targets(self, free: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return the row of the block for each value, and move the first free row of its frame on."""
        found = free[self.owners]
        if self.is_single:
            free[self.owners] += 1
            return found
        places = np.arange(len(self.owners))
        begins = np.flatnonzero(np.diff(self.owners, prepend=-1))
        self.count_into(free)
        return found + places - np.repeat(begins, np.diff(begins, append=len(places)))


def _block(meaning: Meaning, chosen: Collection[int], rows: NDArray[np.uint32]) -> Block:
    """Return the values of a chunk of frames.

    Each value goes straight into its row: sorting and joining a table a field costs more than decoding where a chunk
    holds thousands of fields.
    """
    capture = meaning.capture
    sources: list[_Source] = []
    pieces: list[_Piece] = []
    for kind, reader, places, decoded in decoded_parts(meaning, rows, chosen):
        pieces += _pieces(_Source(kind, reader.layout.name), decoded, places, sources)
    counts = np.zeros(len(rows), np.int64)
    for piece in pieces:
        piece.count_into(counts)
    free = np.cumsum(counts) - counts
    values = _Values(int(counts.sum()))
    pieces.reverse()
    while pieces:
        # what is put is let go of at once: all pieces together weigh as much as the block
        piece = pieces.pop()
        values.put(piece, piece.targets(free))
        del piece
    times = np.repeat(capture.frames.times(rows), counts)
    return values.block(times, sources, capture, len(rows))


def _pieces(origin: _Source, decoded: Decoded, places: NDArray[np.int64], sources: list[_Source]) -> Iterator[_Piece]:
    """Yield what leaves of decoded frames, and add where it comes from to the sources."""
    for column in decoded.columns.values():
        present = _present(column)
        if present is None or len(present):
            sources.append(origin.of(column.field.name, column.field.unit))
            yield _Piece(len(sources) - 1, column, present, places if present is None else places[present], True)
    for array in decoded.arrays.values():
        for column in array.columns.values():
            present = np.flatnonzero(column.validity != _ABSENT)
            if len(present):
                names, which = _item_names(array, present, column.field.name)
                first = len(sources)
                sources += [origin.of(name, column.field.unit) for name in names]
                yield _Piece(first + which, column, present, places[array.frame[present]], False)


def _present(column: FieldColumn) -> NDArray[np.int64] | None:
    """Return the rows of a column in which its field is there; None is all, as mostly."""
    # a few frames of each of thousands of kinds: what is done with every field counts more than what is done with rows
    if column.field.selected is None and not column.validity.any():
        return None
    return np.flatnonzero(column.validity != _ABSENT)


def _item_names(array: ArrayColumns, rows: NDArray[np.int64], field: str) -> tuple[list[str], NDArray[np.int64]]:
    """Return the names ``cells[3].voltage`` of items, with a number for each array around, and which each one has."""
    distinct, which = np.unique(array.index[rows], axis=0, return_inverse=True)
    names = [
        "".join([array.name, *(f"[{number}]" for number in numbers), f".{field}"]) for numbers in distinct.tolist()
    ]
    return names, which.reshape(-1)


class _Values:
    """The columns of a block while they are filled."""

    def __init__(self, count: int) -> None:
        self._source = np.zeros(count, np.int32)
        self._raw = np.zeros(count, np.uint64)
        self._is_negative = np.zeros(count, np.bool_)
        self._has_raw = np.zeros(count, np.bool_)
        self._value = np.zeros(count, np.float64)
        self._has_value = np.zeros(count, np.bool_)
        self._label = np.full(count, -1, np.int32)
        self._validity = np.zeros(count, np.uint8)
        self._labels = LabelWords()

    def put(self, piece: _Piece, targets: NDArray[np.int64]) -> None:
        """Take over the values of a piece."""
        column, rows = piece.column, slice(None) if piece.rows is None else piece.rows
        self._source[targets] = piece.sources
        self._validity[targets] = column.validity[rows]
        if column.raw is not None:
            raw = column.raw[rows]
            self._raw[targets] = raw.view(np.uint64)
            self._has_raw[targets] = True
            if raw.dtype == np.int64:
                self._is_negative[targets] = raw < 0
        if column.value is not None:
            self._value[targets] = column.value[rows]
            self._has_value[targets] = column.has_value[rows]
        if column.content is not None or column.field.names:
            every = np.arange(len(column)) if piece.rows is None else piece.rows
            self._label[targets] = self._labels.of(column, every)

    def block(self, times: NDArray[np.int64], sources: list[_Source], capture: Capture, frames: int) -> Block:
        """Return the block; what is the same in all values of a source is looked up by its number."""
        messages, message_codes = _numbered([source.message for source in sources])
        units, unit_codes = _numbered([source.unit for source in sources])
        keys = [capture.kinds.keys[source.kind] for source in sources]
        lane_codes = np.array([key.lane for key in keys], np.int32)
        addresses = np.array([key.address for key in keys], np.int64)
        places, place_codes = _numbered([kind_words(capture, source.kind) for source in sources])
        columns = {
            "time_ns": pa.array(times),
            "lane": words_column(lane_codes[self._source], [lane.name for lane in capture.lanes]),
            "address": pa.array(addresses[self._source]),
            "where": words_column(place_codes[self._source], places),
            "message": words_column(message_codes[self._source], messages),
            "field": words_column(self._source, [source.field for source in sources]),
            "raw": raw_column(self._raw, self._is_negative, self._has_raw),
            "value": value_column(self._value, self._has_value),
            "unit": words_column(unit_codes[self._source], units),
            "label": words_column(self._label, self._labels.words),
            "valid": words_column(self._validity, _VALIDITY_WORDS),
        }
        return Block.named(LONG_SCHEMA, len(times), columns, frames)


def _numbered(words: list[str]) -> tuple[list[str], NDArray[np.int32]]:
    """Return the distinct words, and the number of each among them."""
    numbers: dict[str, int] = {}
    codes = [numbers.setdefault(word, len(numbers)) for word in words]
    return list(numbers), np.array(codes, np.int32)
