"""Columns of tables made of arrays, without an object a row."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

TEXT = pa.string()
RAW = pa.decimal128(20, 0)
"""Holds every int64 and uint64, so that no raw value is rounded."""


def words_column(codes: NDArray[np.integer], words: Sequence[str]) -> pa.DictionaryArray:
    """Return a column of words by their numbers; a number below 0 is nothing."""
    indices = pa.array(codes.astype(np.int32), mask=codes < 0 if len(codes) and codes.min() < 0 else None)
    return pa.DictionaryArray.from_arrays(indices, pa.array(list(words), TEXT))


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
