"""Tables as Excel workbooks (ECMA-376): cells have types, so no text of anybody is run as a formula."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from decimal import Decimal
from typing import Any, BinaryIO

import pyarrow as pa

from ...errors import DataError
from ...harmless import visible
from ..form import TableForm

MOST_ROWS = 1_048_576
"""Of a sheet, the head included."""
_MOST_COLUMNS = 16_384
_MOST_LETTERS = 32_767
_EXACT = 1 << 53
"""Numbers in cells are floats of 64 bits."""


class TooLargeError(DataError):
    """A table that a sheet has no room for."""


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables as one sheet, and what they carry besides, such as their origin, as another."""
    from openpyxl import Workbook  # slow to load, and few tables leave in this form

    if len(schema) > _MOST_COLUMNS:
        raise TooLargeError(f"the table has {len(schema)} columns, and a sheet holds {_MOST_COLUMNS}.",
                            hint="Take fewer messages, or a row a field.")  # fmt: skip
    book = Workbook(write_only=True)
    sheet = book.create_sheet("values")
    sheet.freeze_panes = "A2"
    texts = _Texts(sheet)
    sheet.append([texts.cell(name) for name in schema.names])
    try:
        _fill(sheet, texts, tables)
    except BaseException:
        # rows are kept in a file of their own until the book is saved
        sheet.close()
        raise
    about = book.create_sheet("origin")
    about_texts = _Texts(about)
    for key, said in (schema.metadata or {}).items():
        for line in [key.decode(), *said.decode().splitlines()]:
            about.append([about_texts.cell(line)])
    book.save(stream)


def _fill(sheet: Any, texts: _Texts, tables: Iterable[pa.Table]) -> None:
    count = 1
    for table in tables:
        count += table.num_rows
        if count > MOST_ROWS:
            raise TooLargeError(f"the table has more than the {MOST_ROWS} rows that a sheet holds.",
                                hint="Take fewer messages or a shorter stretch, or csv, parquet or arrow.")  # fmt: skip
        for row in _rows(table):
            sheet.append([texts.cell(value) if isinstance(value, str) else value for value in row])


class _Texts:
    """Makes cells that hold texts, whatever these begin with."""

    def __init__(self, sheet: Any) -> None:
        from openpyxl.cell import WriteOnlyCell

        self._sheet, self._cell = sheet, WriteOnlyCell

    def cell(self, text: str) -> Any:
        """Return a cell."""
        made = self._cell(self._sheet)
        # assigning a value would guess a formula from its first letter
        made._value = visible(text)[:_MOST_LETTERS]
        made.data_type = "s"
        return made


def _rows(table: pa.Table) -> Iterator[tuple[Any, ...]]:
    return zip(*([_plain(value) for value in column.to_pylist()] for column in table.columns), strict=True)


def _plain(value: Any) -> Any:
    """Return what a cell holds: whole numbers that a float would round, and what is no number, as text."""
    if isinstance(value, Decimal):
        value = int(value)
    if isinstance(value, int):
        return value if abs(value) <= _EXACT else str(value)
    if isinstance(value, float) and not math.isfinite(value):
        return None if math.isnan(value) else str(value)
    return value


FORM = TableForm("xlsx", write, "Excel workbook")
