"""Tables for forms that want each column whole: kept on disk on the way, so that one column at a time is in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from .columns import RAW


@contextmanager
def gathered(schema: pa.Schema, tables: Iterable[pa.Table]) -> Iterator[pa.Table]:
    """Give all rows as one table, which lies in a file that is gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        path = Path(folder) / "rows.arrow"
        with pa.OSFile(str(path), "wb") as file, pa.ipc.new_file(file, schema) as writer:
            for table in tables:
                writer.write_table(table)
        with pa.memory_map(str(path)) as mapped:
            yield pa.ipc.open_file(mapped).read_all()


def array_of(column: pa.ChunkedArray) -> NDArray[np.generic]:
    """Return a column as an array; nothing is NaN among numbers, an empty text among texts, and 0 among whole ones.

    Whole numbers of either sign are int64 where that holds them all, uint64 where that does, and else float64.
    """
    if pa.types.is_string(column.type):
        return _texts(column)
    if column.type == RAW:
        return _whole(column)
    if pa.types.is_integer(column.type) and column.null_count:
        column = column.fill_null(0)
    return column.to_numpy()


def _texts(column: pa.ChunkedArray) -> NDArray[np.str_]:
    # most words are said again and again, and each is made once
    coded = column.fill_null("").dictionary_encode().unify_dictionaries()
    if not len(column):
        return np.zeros(0, np.str_)
    words = np.array(coded.chunk(0).dictionary.to_pylist(), np.str_)
    return words[np.concatenate([chunk.indices.to_numpy() for chunk in coded.chunks])]


def _whole(column: pa.ChunkedArray) -> NDArray[np.generic]:
    if column.null_count:
        return column.cast(pa.float64()).to_numpy()
    for kind in (pa.int64(), pa.uint64()):
        try:
            return column.cast(kind).to_numpy()
        except pa.ArrowInvalid:
            continue
    return column.cast(pa.float64()).to_numpy()
