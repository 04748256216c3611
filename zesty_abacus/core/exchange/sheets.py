"""Tables as rows of text: CSV, and the sheets of workbooks, read whole and bounded."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Sequence

from ..harmless import cell, meant
from ..words import grouped
from .result import ExchangeError

MAX_ROWS = 200_000
MAX_COLUMNS = 256
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
    if is_workbook(data):
        from .workbooks import workbook_sheets  # its library takes a tenth of a second to load

        sheets = workbook_sheets(data, where)
    else:
        sheets = [_text_sheet(data, where)]
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
                raise ExchangeError(f"the table has more than {grouped(MAX_ROWS)} rows.", where=where)
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


def write_csv(rows: Sequence[Sequence[str]]) -> bytes:
    """Return rows as CSV (RFC 4180) in UTF-8."""
    text = io.StringIO(newline="")
    csv.writer(text).writerows([[cell(one) for one in row] for row in rows])
    return text.getvalue().encode()
