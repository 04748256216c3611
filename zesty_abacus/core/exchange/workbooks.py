"""Office Open XML workbooks (ECMA-376) as tables of text, read whole and bounded.

Loaded only where one is read or written: what reads them takes longer to load than most tables take to be read.
"""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Sequence
from typing import IO

import openpyxl
from openpyxl.utils.exceptions import InvalidFileException

from ..harmless import visible
from .result import ExchangeError
from .sheets import MAX_COLUMNS, MAX_ROWS, Sheet

MAX_UNPACKED_BYTES = 256 << 20
"""What a workbook may unpack to; a small archive can hold a very large one."""
MAX_ELEMENTS = 8_000_000
"""In one part of a workbook: a sheet of as many rows as are read, with twenty columns."""
_UNREADABLE = (
    InvalidFileException, zipfile.BadZipFile, zlib.error, EOFError, LookupError, ValueError, TypeError, AttributeError,
    SyntaxError, OSError,
)  # fmt: skip
"""What the workbook library lets through when a file is damaged."""


def workbook_sheets(data: bytes, where: str) -> list[Sheet]:
    """Return the sheets of a workbook.

    Raises
    ------
    ExchangeError
        If it is damaged, or larger than the limits.
    """
    _check_archive(data, where)
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        return [Sheet(sheet.title, _cells(sheet, where)) for sheet in book.worksheets]
    except ExchangeError:
        raise
    except _UNREADABLE as error:
        raise ExchangeError(f"the workbook cannot be read ({error}).", where=where) from error


def _check_archive(data: bytes, where: str) -> None:
    """Refuse archives that unpack to too much, and XML with entities of its own."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > MAX_UNPACKED_BYTES:
                raise ExchangeError(f"the workbook unpacks to more than {MAX_UNPACKED_BYTES} bytes.", where=where)
            for entry in archive.infolist():
                if entry.filename.endswith((".xml", ".rels")):
                    with archive.open(entry) as stream:
                        _check_part(stream, f"{where}, {entry.filename}")
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError, OSError) as error:
        raise ExchangeError(f"the workbook cannot be unpacked ({error}).", where=where) from error


def _check_part(stream: IO[bytes], where: str) -> None:
    """Refuse entities, and more elements than any sheet needs: each becomes an object many times its size."""
    head = stream.read(4096)
    if b"<!DOCTYPE" in head:
        raise ExchangeError("the workbook declares entities.", where=where)
    elements = head.count(b"<")
    while part := stream.read(1 << 20):
        elements += part.count(b"<")
        if elements > MAX_ELEMENTS:
            raise ExchangeError(f"more than {MAX_ELEMENTS} elements.", where=where)


def _cells(sheet, where: str) -> list[list[str]]:  # type: ignore[no-untyped-def]
    rows: list[list[str]] = []
    for row in sheet.iter_rows(max_col=MAX_COLUMNS, values_only=True):
        rows.append([_cell_text(value) for value in row])
        if len(rows) > MAX_ROWS:
            raise ExchangeError(f"the sheet {sheet.title!r} has more than {MAX_ROWS} rows.", where=where)
    return rows


def _cell_text(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        # a workbook has only binary fractions: its shortest form is what was typed
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return str(value)


def write_workbook(name: str, rows: Sequence[Sequence[str]]) -> bytes:
    """Return rows as a workbook with one sheet, headed and ready to filter; figures become numbers."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = name[:31]
    for number, row in enumerate(rows):
        for column, text in enumerate(row, 1):
            made = sheet.cell(number + 1, column)
            made.value = visible(text) if number == 0 else _number_or_text(visible(text))
            if isinstance(made.value, str):
                # a text that begins with an equals sign would be kept as a formula otherwise
                made.data_type = "s"
            if number == 0:
                made.font = openpyxl.styles.Font(bold=True)
    sheet.freeze_panes = "A2"
    for column in range(1, len(rows[0]) + 1):
        longest = max(len(row[column - 1]) for row in rows)
        sheet.column_dimensions[openpyxl.utils.get_column_letter(column)].width = min(max(longest + 2, 8), 40)
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def _number_or_text(text: str) -> int | float | str | None:
    """Return a figure as a number where the number says the same again."""
    if not text:
        return None
    for kind in (int, float):
        try:
            if _cell_text(kind(text)) == text:
                return kind(text)
        except ValueError:
            continue
    return text
