"""Blocks of a table as rows of text; what a cell looks like is said once for every form of text."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..compiled import njit
from ..kernels.cells import MINUS, NULL, PLUS, WORD, CellRows, EmptyRow, Pool, put_rows, split_decimals
from .block import AnyBlock, Block, SparseBlock

_PIECE_BYTES = 1 << 22
"""About how much text is made at a time, whatever the rows are like."""
_DENSE_ROWS = 1 << 14
"""Rows of a table that are made ready at a time: what they take stays in the processor's cache."""
_CELL_BYTES = 8
"""About what a cell takes."""


class RowStyle(ABC):
    """How a form of text writes a row.

    Attributes
    ----------
    null
        A cell that holds nothing.
    end
        What ends a row.
    point_zero
        Whether a whole number that is a float ends in ``.0``.
    says_nan
        Whether there is a word for what is no number at all; else it is a cell that holds nothing.
    infinite
        The word for a number above all others.
    """

    null: bytes
    end: bytes
    point_zero: bool
    says_nan: bool
    infinite: str

    @abstractmethod
    def lead(self, number: int, name: str) -> bytes:
        """Return what stands before the cell of a column, by its place and name."""

    @abstractmethod
    def word(self, text: str) -> bytes:
        """Return a text as a cell."""

    @abstractmethod
    def words(self, texts: pa.StringArray) -> pa.StringArray:
        """Return many texts as cells; the same as :meth:`word` of each."""


def holds_any(texts: pa.StringArray, letters: bytes) -> bool:
    """Return whether any of some ASCII letters is in any of the texts; quicker than a pattern on each."""
    data, _ = _bytes_of(texts)
    wanted = np.zeros(256, np.bool_)
    wanted[list(letters)] = True
    return bool(_holds_any(data, wanted))


@njit(cache=True, nogil=True)
def _holds_any(data, wanted):  # type: ignore[no-untyped-def]
    for letter in data:
        if wanted[letter]:
            return True
    return False


def _bytes_of(texts: pa.StringArray) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Return the bytes of texts, one after another, and how long each is."""
    if not len(texts):
        return np.empty(0, np.uint8), np.empty(0, np.int64)
    offsets = np.frombuffer(texts.buffers()[1], np.int32)[texts.offset : texts.offset + len(texts) + 1]
    data = texts.buffers()[2]
    whole = np.empty(0, np.uint8) if data is None else np.frombuffer(data, np.uint8)
    return whole[offsets[0] : offsets[-1]], np.diff(offsets).astype(np.int64)


def text_of(block: AnyBlock, style: RowStyle) -> Iterable[memoryview]:
    """Return the rows of a block as UTF-8, in pieces."""
    empty = _empty_row(block.schema, style)
    if isinstance(block, SparseBlock):
        words = _dictionaries(block.head, style)
        # piece by piece while they are taken: with thousands of columns, text is a hundred times what the cells are
        return _pieces(_sparse_rows(block, words, style), words, empty)
    named = _dictionaries(block, style)
    pieces: list[memoryview] = []
    for part in block.sliced(_DENSE_ROWS):
        words = named.copy()
        pieces += _pieces(_dense_rows(part, words, style), words, empty)
    return pieces


def _pieces(rows: CellRows, words: _Words, empty: EmptyRow) -> Iterator[memoryview]:
    pool, count = words.joined(), len(rows.begins)
    each = max(_PIECE_BYTES // (len(empty.text) + _CELL_BYTES * len(rows.columns) // max(count, 1)), 1)
    for first in range(0, count, each):
        yield put_rows(rows, empty, pool, first, min(first + each, count))


def _dictionaries(block: Block, style: RowStyle) -> _Words:
    """Return the words of all columns that name them by number; they are the same in every part of a block."""
    words = _Words()
    for place, column in block.columns.items():
        if pa.types.is_dictionary(column.type):
            words.firsts[place] = words.add_array(style.words(pc.fill_null(column.dictionary, "")))
    return words


def _empty_row(schema: pa.Schema, style: RowStyle) -> EmptyRow:
    text = bytearray()
    leads, ends = np.zeros(len(schema), np.int64), np.zeros(len(schema), np.int64)
    for number, name in enumerate(schema.names):
        text += style.lead(number, name)
        leads[number] = len(text)
        text += style.null
        ends[number] = len(text)
    text += style.end
    is_float = np.array([pa.types.is_floating(field.type) for field in schema], np.bool_)
    return EmptyRow(np.frombuffer(bytes(text), np.uint8), leads, ends, is_float & style.point_zero)


def _dense_rows(block: Block, pool: _Words, style: RowStyle) -> CellRows:
    places = sorted(block.columns)
    cells = _Cells(block.count, len(places))
    for number, place in enumerate(places):
        _fill(cells, number, block.columns[place], pool.firsts.get(place), pool, style)
    begins = np.arange(block.count)
    ends = begins + len(places) * block.count
    columns = np.repeat(np.array(places, np.int32), block.count)
    return CellRows(begins, ends, block.count, columns, cells.digits.ravel(), cells.places.ravel(), cells.state.ravel())


def _sparse_rows(block: SparseBlock, pool: _Words, style: RowStyle) -> CellRows:
    head = _dense_rows(block.head, pool, style)
    can_say = (block.codes < 0) & (style.says_nan | ~np.isnan(block.values))
    numbers, places, state = split_decimals(block.values, can_say.astype(np.uint8))
    _put_long_numbers(numbers, state, block.values, pool, style)
    first = pool.add_array(style.words(block.words))
    is_word = block.codes >= 0
    digits = np.where(is_word, (block.codes.astype(np.int64) + first).astype(np.uint64), numbers)
    state = np.where(is_word, WORD, state).astype(np.uint8)
    width = len(block.head.columns)
    begins = block.begins + width * np.arange(block.count + 1)
    # the head's cells of a row, which lie column by column, stand before its others
    in_head = (begins[:-1] + np.arange(width)[:, None]).ravel()
    behind = np.arange(len(block.columns)) + np.repeat(width * np.arange(1, block.count + 1), np.diff(block.begins))

    def merged(one: NDArray, other: NDArray) -> NDArray:
        whole = np.empty(int(begins[-1]), one.dtype)
        whole[in_head], whole[behind] = one, other
        return whole

    return CellRows(
        begins[:-1],
        begins[1:],
        1,
        merged(head.columns, block.columns),
        merged(head.digits, digits),
        merged(head.places, places),
        merged(head.state, state),
    )


class _Cells:
    """What each cell of a table holds, a column of it a row."""

    def __init__(self, rows: int, columns: int) -> None:
        self.digits = np.empty((columns, rows), np.uint64)
        self.places = np.zeros((columns, rows), np.uint8)
        self.state = np.empty((columns, rows), np.uint8)


class _Words:
    """Bytes of words, by number.

    Attributes
    ----------
    firsts
        By the place of a column whose words are all here: the number of the first.
    """

    def __init__(self) -> None:
        self._data: list[NDArray[np.uint8]] = []
        self._lengths: list[NDArray[np.int64]] = []
        self._count = 0
        self.firsts: dict[int, int] = {}

    def copy(self) -> _Words:
        """Return the same words, to add others to."""
        made = _Words()
        made._data, made._lengths, made._count = [*self._data], [*self._lengths], self._count
        made.firsts = self.firsts
        return made

    def add_array(self, texts: pa.StringArray) -> int:
        """Add texts as they stand; return the number of the first."""
        return self._add(*_bytes_of(texts))

    def _add(self, data: NDArray[np.uint8], lengths: NDArray[np.int64]) -> int:
        first = self._count
        self._data.append(data)
        self._lengths.append(lengths)
        self._count += len(lengths)
        return first

    def joined(self) -> Pool:
        """Return all words."""
        lengths = np.concatenate([np.empty(0, np.int64), *self._lengths])
        return Pool(np.concatenate([np.empty(0, np.uint8), *self._data]), np.cumsum(lengths) - lengths, lengths)


def _fill(cells: _Cells, place: int, column: pa.Array, first_word: int | None, pool: _Words, style: RowStyle) -> None:
    kind = column.type
    if first_word is not None:
        cells.digits[place] = _values(_as(column.indices, pa.int32()), np.int32).astype(np.int64) + first_word
        _put_state(cells, place, column, WORD)
    elif pa.types.is_floating(kind):
        _fill_floats(cells, place, column, pool, style)
    elif pa.types.is_decimal128(kind) and kind.scale == 0:
        _fill_decimals(cells, place, column)
    elif pa.types.is_integer(kind):
        unsigned = pa.types.is_unsigned_integer(kind)
        whole = _as(column, pa.uint64() if unsigned else pa.int64())
        _put_whole(cells, place, _values(whole, np.uint64 if unsigned else np.int64), column)
    else:
        _fill_texts(cells, place, _as(column, pa.string()), pool, style)


def _values(column: pa.Array, dtype: type) -> NDArray:
    """Return the values of a column without a copy; what stands where there is none is anything."""
    if not len(column):
        return np.empty(0, dtype)
    return np.frombuffer(column.buffers()[1], dtype)[column.offset : column.offset + len(column)]


def _as(column: pa.Array, kind: pa.DataType) -> pa.Array:
    # a cast to the type that it has takes as long as half of what a cell costs
    return column if column.type == kind else column.cast(kind)


def _put_state(cells: _Cells, place: int, column: pa.Array, state: int | NDArray) -> None:
    """Say what the cells of a column hold, and nothing where it has none."""
    cells.state[place] = np.where(_known(column), state, NULL) if column.null_count else state


def _known(column: pa.Array) -> NDArray[np.bool_]:
    if not column.null_count:
        return np.ones(len(column), np.bool_)
    return column.is_valid().to_numpy(zero_copy_only=False)


def _put_whole(cells: _Cells, place: int, values: NDArray, column: pa.Array) -> None:
    if values.dtype == np.uint64:
        cells.digits[place] = values
        _put_state(cells, place, column, PLUS)
        return
    # the most negative number has no positive one in its type, but its bits are those of its size
    cells.digits[place] = np.abs(values).view(np.uint64)
    _put_state(cells, place, column, _signs(values < 0))


def _signs(negative: NDArray[np.bool_]) -> NDArray[np.uint8]:
    return np.where(negative, np.uint8(MINUS), np.uint8(PLUS))


def _fill_decimals(cells: _Cells, place: int, column: pa.Array) -> None:
    """Take whole numbers of 128 bits, which hold 64-bit ones of either sign."""
    if not len(column):
        return
    words = np.frombuffer(column.buffers()[1], np.uint64).reshape(-1, 2)[column.offset : column.offset + len(column)]
    negative = words[:, 1].view(np.int64) < 0
    cells.digits[place] = np.where(negative, ~words[:, 0] + np.uint64(1), words[:, 0])
    _put_state(cells, place, column, _signs(negative))


def _fill_floats(cells: _Cells, place: int, column: pa.Array, pool: _Words, style: RowStyle) -> None:
    column = _as(column, pa.float64())
    values = _values(column, np.float64)
    known = _known(column)
    if not style.says_nan:
        known &= ~np.isnan(values)
    digits, places, state = split_decimals(values, known.astype(np.uint8))
    _put_long_numbers(digits, state, values, pool, style)
    cells.digits[place], cells.places[place], cells.state[place] = digits, places, state


def _put_long_numbers(
    digits: NDArray[np.uint64], state: NDArray[np.uint8], values: NDArray[np.float64], pool: _Words, style: RowStyle
) -> None:
    """Put numbers that take more digits than fit into the pool, as words."""
    long = np.flatnonzero(state == WORD)
    if len(long):
        texts = pa.array(values[long]).cast(pa.string())
        texts = pc.replace_substring_regex(texts, r"inf$", style.infinite)
        if style.point_zero:
            texts = pc.replace_substring_regex(texts, r"^(-?\d+)$", r"\1.0")
        digits[long] = pool.add_array(texts) + np.arange(len(long))


def _fill_texts(cells: _Cells, place: int, column: pa.StringArray, pool: _Words, style: RowStyle) -> None:
    first = pool.add_array(style.words(pc.fill_null(column, "") if column.null_count else column))
    cells.digits[place] = np.arange(first, first + len(column), dtype=np.uint64)
    _put_state(cells, place, column, WORD)
