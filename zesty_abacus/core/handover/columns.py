"""Columns of tables made of arrays, without an object a row."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..codec.columns import FieldColumn

TEXT = pa.string()
RAW = pa.decimal128(20, 0)
"""Holds every int64 and uint64, so that no raw value is rounded."""


def words_column(codes: NDArray[np.integer], words: Sequence[str]) -> pa.DictionaryArray:
    """Return a column of words by their numbers; a number below 0 is nothing."""
    indices = pa.array(codes.astype(np.int32), mask=codes < 0 if len(codes) and codes.min() < 0 else None)
    return pa.DictionaryArray.from_arrays(indices, pa.array(list(words), TEXT))


def one_word(word: str, count: int) -> pa.DictionaryArray:
    """Return a column that holds the same word in every row."""
    return words_column(np.zeros(count, np.int32), [word])


def raw_column(bits: NDArray[np.uint64], negative: NDArray[np.bool_], known: NDArray[np.bool_]) -> pa.Array:
    """Return whole numbers of 64 bits, of either sign, as :data:`RAW`.

    Parameters
    ----------
    bits : uint64 (n,)
        Of a negative number its two's complement.
    negative, known : bool (n,)
    """
    halves = np.empty((len(bits), 2), np.uint64)
    halves[:, 0] = bits
    halves[:, 1] = np.where(negative, np.uint64(2**64 - 1), np.uint64(0))
    valid = None if known.all() else pa.py_buffer(np.packbits(known, bitorder="little"))
    return pa.Array.from_buffers(RAW, len(bits), [valid, pa.py_buffer(halves)])


def value_column(values: NDArray[np.float64], known: NDArray[np.bool_]) -> pa.Array:
    """Return numbers, and nothing where none is known."""
    return pa.array(values, mask=None if known.all() else ~known)


class LabelWords:
    """Labels of many fields under numbers of one series, so that they can stand in one column."""

    def __init__(self) -> None:
        self.words: list[str] = []
        self._names: dict[int, int] = {}

    def of_names(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of the name that each row's raw value has, -1 for none; int64."""
        if not column.field.names:
            return np.full(len(rows), -1)
        first = self._names.get(id(column.field))
        if first is None:
            first = self._names[id(column.field)] = self.add([named.label for named in column.field.names])
        codes = column.label_codes()[rows].astype(np.int64)
        return np.where(codes >= 0, codes + first, -1)

    def of(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of each row's label: a name, or what a text or raw bytes say; -1 for none; int64."""
        if column.content is None:
            return self.of_names(column, rows)
        content = np.ascontiguousarray(column.content[rows])
        if column.lengths is not None:
            lengths = np.ascontiguousarray(column.lengths[rows]).view(np.uint8).reshape(len(rows), 8)
            content = np.concatenate([content, lengths], axis=1)
        if not content.shape[1]:
            return np.full(len(rows), self.add([""]))
        # the same text mostly stands in many rows, and each is decoded once
        whole = np.ascontiguousarray(content).view(np.dtype((np.void, content.shape[1]))).reshape(-1)
        _, firsts, inverse = np.unique(whole, return_index=True, return_inverse=True)
        first = self.add([column.text_of(row) for row in rows[firsts]])
        return inverse.reshape(-1) + first

    def of_numbers(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of a word that is each row's raw value; int64."""
        assert column.raw is not None
        distinct, inverse = np.unique(column.raw[rows], return_inverse=True)
        return inverse.reshape(-1) + self.add([str(raw) for raw in distinct.tolist()])

    def add(self, words: Sequence[str]) -> int:
        """Add words; return the number of the first."""
        first = len(self.words)
        self.words.extend(words)
        return first
