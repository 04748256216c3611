"""Tables that grow while they are written: every block is out before the next one is waited for."""

from __future__ import annotations

from collections.abc import Callable
from typing import BinaryIO

import pyarrow as pa
import pyarrow.parquet as pq

from ..errors import MisuseError
from .block import AnyBlock
from .cell_text import text_of
from .cells import harmless
from .form import TextForm
from .writers import WRITERS

_PARQUET = "parquet"
_ROW_GROUP = 1 << 16
"""Rows that Parquet keeps together; fewer make a file that is slow to read."""


def growing_forms() -> list[str]:
    """Return the words of the forms that take rows as they come; others want each column whole."""
    return [word for word, form in WRITERS.items() if isinstance(form, TextForm) or word == _PARQUET]


class TableStream:
    """A table of a form that takes rows as they come.

    Rows of text forms are flushed block by block, so that whoever follows the file or the pipe sees them at once, and
    they are there after a kill. Parquet can be read only once it is closed.

    Parameters
    ----------
    stream
        Stays open when the table is closed.
    form
        Word of the form.
    as_is
        As of :func:`~zesty_abacus.core.handover.writers.write_tables`.

    Raises
    ------
    MisuseError
        If there is no such form, or none that grows.
    """

    def __init__(self, stream: BinaryIO, form: str, schema: pa.Schema, *, as_is: bool = False) -> None:
        self._stream = stream
        self._change: Callable[[AnyBlock], AnyBlock] = lambda block: block
        if form == "csv" and not as_is:
            schema, self._change = harmless(schema)
        known = WRITERS.get(form)
        self._text = known if isinstance(known, TextForm) else None
        self._parquet: pq.ParquetWriter | None = None
        self._waiting: list[pa.Table] = []
        self._rows = 0
        if self._text is not None:
            stream.write(self._text.head(schema))
            stream.flush()
        elif form == _PARQUET:
            self._parquet = pq.ParquetWriter(pa.PythonFile(stream, mode="w"), schema, compression="zstd")
        else:
            hint = f"Take {' or '.join(growing_forms())}."
            raise MisuseError(f"a table of the form {form!r} cannot grow.", hint=hint)

    def write(self, block: AnyBlock) -> None:
        """Add a block of rows."""
        if not block.count:
            return
        self._rows += block.count
        if self._text is not None:
            for piece in text_of(self._change(block), self._text.style):
                self._stream.write(piece)
            self._stream.flush()
            return
        self._waiting += list(block.tables())
        if sum(len(table) for table in self._waiting) >= _ROW_GROUP:
            self._put_group()

    def _put_group(self) -> None:
        if self._waiting and self._parquet is not None:
            self._parquet.write_table(pa.concat_tables(self._waiting).combine_chunks())
        self._waiting = []

    @property
    def rows(self) -> int:
        """How many rows were written."""
        return self._rows

    def close(self) -> None:
        """Finish the table."""
        self._put_group()
        if self._parquet is not None:
            self._parquet.close()
        self._stream.flush()
