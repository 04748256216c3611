"""Some rows of a table on their way out."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..ahead import Ahead

_TABLE_CELLS = 1 << 21
"""Most cells of a table that is made of a sparse block."""
_TABLE_ROWS = 1 << 17
"""Most rows of a table that is made of another; Parquet keeps as many together."""


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """Rows of a table; columns that hold nothing in them may be left out.

    Attributes
    ----------
    schema
        Of the whole table.
    count
        Rows.
    columns
        By their place in the schema; of its type, or a dictionary of it.
    frames
        How many frames of a capture were looked at for it, to say how far the work is.
    """

    schema: pa.Schema
    count: int
    columns: Mapping[int, pa.Array]
    frames: int = 0

    @classmethod
    def of(cls, table: pa.Table) -> Block:
        """Return a table as a block."""
        return cls(table.schema, table.num_rows, {n: _one(column) for n, column in enumerate(table.columns)})

    @classmethod
    def named(cls, schema: pa.Schema, count: int, columns: Mapping[str, pa.Array], frames: int) -> Block:
        """Return a block of columns by their names."""
        return cls(schema, count, {schema.get_field_index(name): one for name, one in columns.items()}, frames)

    def sliced(self, rows: int) -> Iterator[Block]:
        """Yield the block in pieces of not more than ``rows``."""
        for first in range(0, self.count, rows):
            count = min(rows, self.count - first)
            yield Block(self.schema, count, {n: column.slice(first, count) for n, column in self.columns.items()})

    def words_changed(self, change: Callable[[pa.Array], pa.Array], schema: pa.Schema, places: Container[int]) -> Block:
        """Return the block with its texts changed in some columns, under another schema."""
        columns = {place: change(one) if place in places else one for place, one in self.columns.items()}
        return Block(schema, self.count, columns, self.frames)

    def tables(self) -> Iterator[pa.Table]:
        """Yield the rows as tables, not so large that all their words, each written out, weigh much."""
        pieces = max(-(-self.count // _TABLE_ROWS), 1)
        for piece in self.sliced(-(-self.count // pieces)) if pieces > 1 else (self,):
            yield piece.table()

    def table(self) -> pa.Table:
        """Return the rows as a table with all its columns."""
        whole = [
            _plain(self.columns[number], field.type) if number in self.columns else pa.nulls(self.count, field.type)
            for number, field in enumerate(self.schema)
        ]
        return pa.table(whole, schema=self.schema)


@dataclass(frozen=True, slots=True, eq=False)
class SparseBlock:
    """Rows of a table of which each has few cells, so that the cells are kept and not the columns.

    Of a table with a column a field of two thousand messages, a row has a few in sixteen thousand.

    Attributes
    ----------
    head
        The first columns, which every row has; under the schema of all.
    begins : int64 (count + 1,)
        Where the cells of each row begin.
    columns : int32 (cells,)
        The place of each in the schema, rising within a row, behind those of the head.
    values : float64 (cells,)
        Of numbers.
    codes : int32 (cells,)
        The word that a cell holds; -1 where it holds a number.
    words
    """

    head: Block
    begins: NDArray[np.int64]
    columns: NDArray[np.int32]
    values: NDArray[np.float64]
    codes: NDArray[np.int32]
    words: pa.StringArray

    @property
    def schema(self) -> pa.Schema:
        """The schema of all columns."""
        return self.head.schema

    @property
    def count(self) -> int:
        """Rows."""
        return self.head.count

    @property
    def frames(self) -> int:
        """How many frames of a capture were looked at for it."""
        return self.head.frames

    def words_changed(
        self, change: Callable[[pa.Array], pa.Array], schema: pa.Schema, places: Container[int]
    ) -> SparseBlock:
        """Return the block with its texts changed, under another schema."""
        return replace(self, head=self.head.words_changed(change, schema, places), words=change(self.words))

    def tables(self) -> Iterator[pa.Table]:
        """Yield the rows as tables of few enough rows that all columns can be held."""
        rows = max(_TABLE_CELLS // len(self.schema), 1)
        for first in range(0, self.count, rows):
            yield self._table(first, min(first + rows, self.count))

    def _table(self, first: int, last: int) -> pa.Table:
        count = last - first
        cells = slice(int(self.begins[first]), int(self.begins[last]))
        rows = np.repeat(np.arange(count), np.diff(self.begins[first : last + 1]))
        order = np.argsort(self.columns[cells], kind="stable")
        places, starts = np.unique(self.columns[cells][order], return_index=True)
        made = {place: column.slice(first, count) for place, column in self.head.columns.items()}
        # where no cell is left there is no place, and nothing ends
        ends = np.append(starts[1:], len(order))[: len(places)]
        for place, begin, end in zip(places.tolist(), starts.tolist(), ends.tolist(), strict=True):
            some = order[begin:end]
            known = np.zeros(count, np.bool_)
            known[rows[some]] = True
            if pa.types.is_string(self.schema.field(place).type):
                codes = np.zeros(count, np.int32)
                codes[rows[some]] = self.codes[cells][some]
                made[place] = pa.DictionaryArray.from_arrays(pa.array(codes, mask=~known), self.words)
            else:
                values = np.zeros(count)
                values[rows[some]] = self.values[cells][some]
                made[place] = pa.array(values, mask=~known)
        return Block(self.schema, count, made).table()


AnyBlock = Block | SparseBlock


def block_of(table: pa.Table | AnyBlock) -> AnyBlock:
    """Return a table, or what is one already, as a block."""
    return Block.of(table) if isinstance(table, pa.Table) else table


Blocks = Ahead[AnyBlock]
"""A table in blocks, made side by side."""


def _one(column: pa.ChunkedArray) -> pa.Array:
    return column.chunk(0) if column.num_chunks == 1 else pa.concat_arrays(column.chunks or [pa.nulls(0, column.type)])


def _plain(column: pa.Array, wanted: pa.DataType) -> pa.Array:
    """Return a column without its dictionary, where its table has none."""
    if pa.types.is_dictionary(column.type) and not pa.types.is_dictionary(wanted):
        column = column.dictionary_decode()
    return column if column.type == wanted else column.cast(wanted)
