"""Text tables as Arrow batches of words, and columns of numbers made of them, cell by cell where a cell is wrong."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
from numpy.typing import NDArray

from ..errors import said_by_others
from ..progress import Progress
from .columns import DATES, Columns, dates_joined
from .report import CaptureReadError, ReadReport
from .source import CHUNK, ByteSource

_BLOCK = 4 << 20
_LONGEST_LINE = 2 << 20
_NEW_LINE = ord("\n")
_WORDS = pa.string()


Rows = Iterator[tuple[NDArray[np.int64], pa.RecordBatch]]
"""In which line each row stands, and the words of its cells."""


def read_rows(path: Path, columns: Columns, report: ReadReport, progress: Progress) -> Rows:
    """Yield the rows of a table, batch by batch; those of another width are listed and left out.

    Raises
    ------
    CaptureReadError
        If the columns do not fit the table at all.
    """
    columns.check()
    with ByteSource(path) as source:
        lines = _Lines(source, columns, report, progress)
        yield from (
            _rows_with_tail(lines, columns, report) if columns.tail else _rows_of_cells(lines, columns, report, path)
        )


def _rows_of_cells(lines: _Lines, columns: Columns, report: ReadReport, path: Path) -> Rows:
    names = [str(number) for number in range(len(columns.roles))]
    options = pa.csv.ReadOptions(column_names=names, skip_rows=0, block_size=_BLOCK, use_threads=False)
    wrong: list[int] = []

    def refuse(row: pa.csv.InvalidRow) -> str:
        wrong.append(columns.head_lines + (row.number or 0))
        report.add_problem(f"line {wrong[-1]}", f"{row.actual_columns} columns, not {len(names)}")
        return "skip"

    parsing = pa.csv.ParseOptions(
        delimiter="\t" if columns.separator == " " else columns.separator, invalid_row_handler=refuse
    )
    converting = pa.csv.ConvertOptions(column_types={name: pa.string() for name in names}, strings_can_be_null=False)
    line = columns.head_lines + 1
    try:
        for batch in pa.csv.open_csv(pa.PythonFile(lines, mode="r"), options, parsing, converting):
            if not len(batch):
                continue
            # what was refused meanwhile may stand behind this batch as well
            most = np.arange(line, line + len(batch) + len(wrong))
            numbered = most[~np.isin(most, wrong)][: len(batch)]
            yield numbered, batch
            line = int(numbered[-1]) + 1
            wrong[:] = [one for one in wrong if one >= line]
    except pa.ArrowInvalid as error:
        if "Empty CSV" not in str(error):
            raise CaptureReadError(f"the table cannot be read ({said_by_others(error)}).", where=str(path)) from error


def _rows_with_tail(lines: _Lines, columns: Columns, report: ReadReport) -> Rows:
    """Cut lines by one expression over all of them: there are as many cells as a row has bytes."""
    width = len(columns.roles)
    cell, apart = r"[^\s()\[\]]+", r"[\s()\[\]]+"
    before = apart.join(f"(?P<c{number}>{cell})" for number in range(width - 1))
    pattern = rf"^[\s()\[\]]*{before}(?:{apart}(?P<last>.*?))?\s*$"
    line = columns.head_lines + 1
    while data := lines.read():
        text = lines_in(data)
        parts = pc.extract_regex(text, pattern)
        known = parts.is_valid().to_numpy(zero_copy_only=False)
        for row in np.flatnonzero(~known):
            cells = columns.cells(text[int(row)].as_py())
            if cells and cells != [""]:
                report.add_problem(f"line {line + int(row)}", f"{len(cells)} columns, not {width}")
        rows = pa.RecordBatch.from_arrays(parts.flatten(), names=[str(number) for number in range(width)])
        if known.any():
            yield line + np.flatnonzero(known), rows.filter(pa.array(known))
        line += len(text)


def lines_in(data: bytes, kind: pa.DataType = _WORDS) -> pa.Array:
    """Return lines as an array of words, or of bytes where they may be no text, each with its end; copies nothing."""
    ends = np.flatnonzero(np.frombuffer(data, np.uint8) == _NEW_LINE).astype(np.int32) + 1
    if not len(ends) or ends[-1] < len(data):
        ends = np.append(ends, np.int32(len(data)))
    offsets = np.concatenate([np.zeros(1, np.int32), ends])
    return pa.Array.from_buffers(kind, len(ends), [None, pa.py_buffer(offsets), pa.py_buffer(data)])


class _Lines:
    """A source as a readable file: head lines passed over, runs of blanks made one tab."""

    closed = False

    def __init__(self, source: ByteSource, columns: Columns, report: ReadReport, progress: Progress) -> None:
        self._chunks = source.chunks(report, progress, CHUNK * 4)
        self._skip = columns.head_lines
        self._columns = columns
        self._held = b""
        self._rest = b""
        self._report = report
        self._is_dropping = False
        self._joins: bool | None = None

    def read(self, size: int = -1) -> bytes:
        while not self._held:
            chunk = next(self._chunks, None)
            if chunk is None:
                tail, self._rest = self._rest, b""
                return self._cleaned(tail)
            data = self._kept_of(chunk)
            while self._skip and b"\n" in data:
                # empty lines were not counted when the head was looked at
                line, data = data.split(b"\n", 1)
                self._skip -= bool(line.strip())
            if self._skip:
                self._rest = data
                if len(data) > _LONGEST_LINE:
                    self._drop()
                continue
            cut = data.rfind(b"\n") + 1
            if not cut and len(data) > _LONGEST_LINE:
                self._drop()
                continue
            self._held, self._rest = self._cleaned(data[:cut]), data[cut:]
        given, self._held = (self._held, b"") if size < 0 else (self._held[:size], self._held[size:])
        return given

    def _kept_of(self, chunk: bytes) -> bytes:
        """Return what is still to be looked at and a chunk behind it, without the rest of a line that is left out."""
        if not self._is_dropping:
            return self._rest + chunk
        _, found, kept = chunk.partition(b"\n")
        self._is_dropping = not found
        return kept

    def _drop(self) -> None:
        """Leave a line out that has no end: joining its pieces again and again would take the square of its length."""
        self._report.add_problem("a line", f"it has more than {_LONGEST_LINE} bytes and is left out")
        self._rest, self._is_dropping = b"", True

    def _cleaned(self, data: bytes) -> bytes:
        # what is no text becomes a mark; the cell it stands in is then listed as no number
        data = data.decode("utf-8", "replace").encode() if not data.isascii() else data
        if self._columns.time_unit in DATES and self._joins is not False:
            joined = dates_joined(data.decode(), self._columns.separator).encode()
            # what the first rows have not, the others have not either
            self._joins, data = joined != data, joined
        if self._columns.separator != " " or self._columns.tail:
            return data
        return b"\n".join(b"\t".join(line.split()) for line in data.split(b"\n"))

    def readable(self) -> bool:
        return True

    def writable(self) -> bool:
        return False

    def seekable(self) -> bool:
        return False

    def close(self) -> None:
        self.closed = True


def numbers(
    cells: pa.Array, columns: Columns, lines: NDArray[np.int64], name: str, report: ReadReport
) -> NDArray[np.float64]:
    """Return cells as numbers, NaN for those that are none, which are listed; float64 (n,)."""
    words = pc.utf8_trim_whitespace(cells)
    if columns.decimal == ",":
        words = pc.replace_substring(words, ",", ".")
    try:
        return pc.cast(words, pa.float64()).to_numpy(zero_copy_only=False)
    except pa.ArrowInvalid:
        return np.array([
            number_in(word, line, name, report) for word, line in zip(words.to_pylist(), lines.tolist(), strict=True)
        ])  # fmt: skip


def number_in(word: str, line: int, name: str, report: ReadReport) -> float:
    """Return the number in a cell, NaN if it is none, which is listed."""
    try:
        return float(word)
    except ValueError:
        report.add_problem(f"line {line}, column {name}", f"{word[:40]!r} is no number")
        return float("nan")
