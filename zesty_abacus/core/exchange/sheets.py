"""Tables as rows of text: CSV and Office Open XML workbooks (ECMA-376), read whole and bounded."""

from __future__ import annotations

import codecs
import csv
import io
import zipfile
import zlib
from collections.abc import Sequence
from typing import IO

import openpyxl
from openpyxl.utils.exceptions import InvalidFileException

from ..harmless import cell, meant, visible
from .result import ExchangeError

MAX_ROWS = 200_000
MAX_COLUMNS = 256
MAX_UNPACKED_BYTES = 256 << 20
"""What a workbook may unpack to; a small archive can hold a very large one."""
MAX_ELEMENTS = 8_000_000
"""In one part of a workbook: a sheet of as many rows as are read, with twenty columns."""
_UNREADABLE = (
    InvalidFileException, zipfile.BadZipFile, zlib.error, EOFError, LookupError, ValueError, TypeError, AttributeError,
    SyntaxError, OSError,
)  # fmt: skip
"""What the workbook library lets through when a file is damaged."""
_SEPARATORS = ",;\t|"


class Sheet:
    """A table as text.

    Attributes
    ----------
    name
        Of the sheet in its workbook; empty of a text file.
    rows
        Cells without blanks around them; all rows have the same width.
    lines
        The number each row has in the file, from 1.
    """

    def __init__(self, name: str, rows: Sequence[Sequence[str]], lines: Sequence[int] | None = None) -> None:
        self.name = name
        width = max((_filled(row) for row in rows), default=0)
        numbered = list(zip(lines or range(1, len(rows) + 1), rows, strict=True))
        filled = [(line, row) for line, row in numbered if any(cell.strip() for cell in row)]
        self.lines = [line for line, _ in filled]
        self.rows = [[cell.strip() for cell in row[:width]] + [""] * (width - len(row)) for _, row in filled]


def _filled(row: Sequence[str]) -> int:
    """Return how many cells a row has up to the last one with something in it."""
    return next((number for number in range(len(row), 0, -1) if row[number - 1].strip()), 0)


def is_workbook(data: bytes) -> bool:
    """Return whether a file is a zipped workbook."""
    return data[:4] == b"PK\x03\x04" and b"xl/" in data


def read_sheets(data: bytes, where: str) -> list[Sheet]:
    """Read all sheets of a workbook, or the one table of a text file; empty ones are left out.

    Raises
    ------
    ExchangeError
        If the file is no table, or larger than the limits.
    """
    sheets = _workbook_sheets(data, where) if is_workbook(data) else [_text_sheet(data, where)]
    filled = [sheet for sheet in sheets if sheet.rows]
    if not filled:
        raise ExchangeError("the table is empty.", where=where)
    return filled


def _text_sheet(data: bytes, where: str) -> Sheet:
    text = _text_of(data)
    if "\0" in text:
        raise ExchangeError("this is no text table: it holds zero bytes.", where=where)
    separator = _separator(text)
    rows: list[list[str]] = []
    lines: list[int] = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    try:
        for row in reader:
            rows.append([meant(one) for one in row[:MAX_COLUMNS]])
            lines.append(reader.line_num)
            if len(rows) > MAX_ROWS:
                raise ExchangeError(f"the table has more than {MAX_ROWS} rows.", where=where)
    except csv.Error as error:
        raise ExchangeError(f"the table cannot be read ({error}).", where=f"{where}, line {reader.line_num}") from error
    return Sheet("", rows, lines)


def _text_of(data: bytes) -> str:
    """Return text in UTF-8 or UTF-16, or else as what spreadsheets call plain text is mostly written."""
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _separator(text: str) -> str:
    """Return what cuts most of the first lines into the same number of cells."""
    lines = [line for line in text.splitlines() if line.strip()][:50]

    def score(separator: str) -> tuple[int, int]:
        counts = [line.count(separator) for line in lines]
        usual = max(set(counts), key=counts.count) if counts else 0
        return (counts.count(usual) * min(usual, 3), usual)

    return max(_SEPARATORS, key=score)


def _workbook_sheets(data: bytes, where: str) -> list[Sheet]:
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


def write_csv(rows: Sequence[Sequence[str]]) -> bytes:
    """Return rows as CSV (RFC 4180) in UTF-8."""
    text = io.StringIO(newline="")
    csv.writer(text).writerows([[cell(one) for one in row] for row in rows])
    return text.getvalue().encode()


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
