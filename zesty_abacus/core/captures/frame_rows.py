"""Frames as rows of typed columns, as Parquet and JSON lines hold them: what columns mean goes by their names."""

from __future__ import annotations

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .column_guess import columns_named
from .columns import Columns
from .frame_csv import frames_in
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .table_times import TableTimes
from .time_guess import told_guesses

_LOOKED_AT = 200
"""Rows that tell what columns are."""


def holds_frames(batch: pa.RecordBatch) -> bool:
    """Return whether columns of these names and with such cells are frames."""
    return _columns_of(_without_objects(batch)) is not None


def _columns_of(batch: pa.RecordBatch) -> Columns | None:
    rows = _words(batch.slice(0, _LOOKED_AT))
    columns = columns_named(tuple(rows.schema.names), [column.to_pylist() for column in rows.columns])
    if columns is None:
        return None

    def base_of(role: str, otherwise: int) -> int:
        # numbers that are numbers are no digits of another base
        kinds = [batch.schema.field(columns.names[place]).type for place in columns.of_role(role)]
        return 10 if any(pa.types.is_integer(kind) for kind in kinds) else otherwise

    bases = {"base": base_of("address", columns.base), "byte_base": base_of("byte", columns.byte_base)}
    return msgspec.structs.replace(columns, **bases)


def _words(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Return a batch with every column as words, as a text table has them.

    Lists of whole numbers are bytes; other lists and the like are left out.
    """
    names, columns = [], []
    for field, column in zip(batch.schema, batch.columns, strict=True):
        if pa.types.is_list(field.type) and pa.types.is_integer(field.type.value_type):
            names.append(field.name)
            columns.append(_bytes_of_lists(column))
            continue
        if pa.types.is_nested(field.type) and not pa.types.is_dictionary(field.type):
            continue
        if pa.types.is_binary(field.type) or pa.types.is_large_binary(field.type):
            continue
        names.append(field.name)
        columns.append(pc.fill_null(pc.cast(column, pa.string()), ""))
    return pa.RecordBatch.from_arrays(columns, names=names)


def _without_objects(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Return a batch in which what objects hold are columns of their own, ``frame.id``."""
    while len(batch) and any(pa.types.is_struct(field.type) for field in batch.schema):
        batch = pa.Table.from_batches([batch]).flatten().combine_chunks().to_batches()[0]
    return batch


def _bytes_of_lists(lists: pa.ListArray) -> pa.Array:
    """Return lists of whole numbers as bytes in hex; a number beyond 255 stays one that is no byte."""
    words = [
        None if row is None else " ".join("?" if number is None else f"{number:02X}" for number in row)
        for row in lists.to_pylist()
    ]
    return pc.fill_null(pa.array(words, pa.string()), "")


class FrameRows:
    """Makes frames of batches, one after another.

    Parameters
    ----------
    where
        The file, for what is told.
    """

    def __init__(self, where: str, sink: Sink, report: ReadReport) -> None:
        self._where = where
        self._sink = sink
        self._report = report
        self._columns: Columns | None = None
        self._times: TableTimes | None = None
        self._row = 0

    def take(self, batch: pa.RecordBatch, line: int) -> None:
        """Pass the frames of a batch on.

        Parameters
        ----------
        line
            Of its first row in the file, or the number of that row from 1.

        Raises
        ------
        CaptureReadError
            If its columns are not those of frames.
        """
        batch = _without_objects(batch)
        words = _words(batch)
        if self._columns is None or self._times is None:
            self._columns = _columns_of(batch)
            if self._columns is None:
                raise CaptureReadError(
                    f"its columns are those of no frames: {', '.join(batch.schema.names[:12])}.", where=self._where,
                    hint="Frames have a time or an address, and a payload in hex.",
                )  # fmt: skip
            self._times = TableTimes(self._columns, self._report)
            self._report.facts += told_guesses(self._columns)
            self._report.holds_bytes = not self._columns.of_role("address")
        missing = [name for name in self._columns.names if name not in words.schema.names]
        for name in missing:
            # rows of JSON leave out what they do not have
            words = words.append_column(name, pa.array([""] * len(words)))
        chosen = words.select(list(self._columns.names))
        table = frames_in(chosen, self._columns, self._times, line + np.arange(len(words)), self._row, self._report)
        self._row += len(words)
        if len(table):
            self._sink(table)
