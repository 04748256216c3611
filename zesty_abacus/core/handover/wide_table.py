"""Decoded values as a table with a row a frame and a column a field, in blocks."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..layouts.model import FieldKind
from ..reading.meaning import Meaning
from .block import Block, Blocks, SparseBlock
from .chunks import Which, chunks_of, threads_for
from .columns import TEXT, words_column
from .decoded_parts import decoded_parts, read_kinds
from .labels import LabelWords

_HEAD = [("time_ns", pa.int64()), ("lane", TEXT), ("address", pa.int64()), ("message", TEXT)]


def wide_schema(meaning: Meaning, kinds: Collection[int] | None = None) -> pa.Schema:
    """Return the schema of :func:`wide_table`: time_ns, lane, address, message, then ``message.field``."""
    seen: dict[str, pa.DataType] = {}
    for kind in read_kinds(meaning, kinds):
        for reader in meaning.kinds[kind].readers:
            if meaning.trouble(reader):
                continue
            layout = meaning.plan(reader).layout
            for field in layout.once_a_frame():
                is_text = field.kind in (FieldKind.NAMES, FieldKind.BITS) or not field.raw_is_number
                seen.setdefault(f"{layout.name}.{field.name}", TEXT if is_text else pa.float64())
    return pa.schema([*_HEAD, *seen.items()])


def wide_table(meaning: Meaning, which: Which = None, kinds: Collection[int] | None = None) -> Blocks:
    """Return decoded values, a row a frame that is read and a column a field; empty where there is no value.

    Raises
    ------
    MisuseError
        If nobody reads any of the kinds.
    """
    chosen = read_kinds(meaning, kinds)
    schema = wide_schema(meaning, kinds)
    chunks, threads = chunks_of(meaning.capture, which), threads_for(meaning.capture)
    return Blocks(chunks, lambda some: _block(meaning, chosen, schema, some), threads=threads)


def _block(meaning: Meaning, chosen: Collection[int], schema: pa.Schema, rows: NDArray[np.uint32]) -> SparseBlock:
    capture = meaning.capture
    parts = list(decoded_parts(meaning, rows, chosen))
    message = np.full(len(rows), -1, np.int32)
    for number, (_, _, places, _) in enumerate(parts):
        message[places] = number
    # frames that nobody reads have no row, so those after them move up
    left = np.flatnonzero(message >= 0)
    target = np.cumsum(message >= 0) - 1
    cells = _Cells(schema, len(left))
    for _, reader, places, decoded in parts:
        cells.add(reader.layout.name, target[places], decoded.columns.values())
    head = {
        "time_ns": pa.array(capture.frames.times(rows[left])),
        "lane": words_column(capture.frames.lanes(rows[left]), [lane.name for lane in capture.lanes]),
        "address": pa.array(capture.frames.addresses(rows[left])),
        "message": words_column(message[left], [reader.layout.name for _, reader, _, _ in parts]),
    }
    return cells.block(Block.named(schema, len(left), head, len(rows)))


class _Cells:
    """The cells of a block while they are gathered."""

    def __init__(self, schema: pa.Schema, count: int) -> None:
        self._schema = schema
        self._counts = np.zeros(count, np.int64)
        self._labels = LabelWords()
        self._pieces: list[tuple[int, NDArray[np.int64], NDArray[np.float64] | None, NDArray[np.int64] | None]] = []

    def add(self, message: str, targets: NDArray[np.int64], columns: Collection[FieldColumn]) -> None:
        """Take over the fields of frames that were read by one layout.

        Parameters
        ----------
        targets : int64 (n,)
            Which row each of the frames has.
        """
        placed = [(self._schema.get_field_index(f"{message}.{column.field.name}"), column) for column in columns]
        # one that is carried by another layout has no column here: it is in the long table only
        for place, column in sorted(((place, one) for place, one in placed if place >= 0), key=lambda pair: pair[0]):
            rows = np.flatnonzero(column.has_value)
            if self._schema.field(place).type == TEXT:
                self._pieces.append((place, targets[rows], None, self._words(column, rows)))
            elif column.value is not None:
                self._pieces.append((place, targets[rows], column.value[rows].astype(np.float64), None))
            else:
                continue
            self._counts[targets[rows]] += 1

    def _words(self, column: FieldColumn, rows: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return labels, and numbers where a value has none."""
        labels = self._labels.of(column, rows)
        bare = np.flatnonzero(labels < 0)
        if len(bare) and column.raw is not None:
            labels[bare] = self._labels.of_numbers(column, rows[bare])
        return labels

    def block(self, head: Block) -> SparseBlock:
        """Return the block: each cell goes straight to its place, since those of a row come with rising columns."""
        begins = np.concatenate([[0], np.cumsum(self._counts)])
        free = begins[:-1].copy()
        cells = int(begins[-1])
        columns, values, codes = np.zeros(cells, np.int32), np.zeros(cells), np.full(cells, -1, np.int32)
        for place, targets, numbers, labels in self._pieces:
            at = free[targets]
            free[targets] += 1
            columns[at] = place
            if numbers is not None:
                values[at] = numbers
            if labels is not None:
                codes[at] = labels
        return SparseBlock(head, begins, columns, values, codes, pa.array(self._labels.words, TEXT))
