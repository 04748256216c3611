"""Text tables as Arrow batches of words, and columns of numbers made of them, cell by cell where a cell is wrong."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
from numpy.typing import NDArray

from ..progress import Progress
from .columns import Columns, dates_joined
from .report import CaptureReadError, ReadReport
from .source import CHUNK, ByteSource

_BLOCK = 4 << 20
_LONGEST_LINE = 2 << 20


def read_rows(
    path: Path, columns: Columns, report: ReadReport, progress: Progress
) -> Iterator[tuple[int, pa.RecordBatch]]:
    """Yield (line of the first row, batch of words) of a table; rows of another width are listed and left out.

    Raises
    ------
    CaptureReadError
        If the columns do not fit the table at all.
    """
    columns.check()
    names = [str(number) for number in range(len(columns.roles))]
    options = pa.csv.ReadOptions(column_names=names, skip_rows=0, block_size=_BLOCK, use_threads=False)
    wrong: list[tuple[int, int]] = []

    def refuse(row: pa.csv.InvalidRow) -> str:
        wrong.append((row.number or 0, row.actual_columns))
        return "skip"

    parsing = pa.csv.ParseOptions(
        delimiter="\t" if columns.separator == " " else columns.separator, invalid_row_handler=refuse
    )
    converting = pa.csv.ConvertOptions(column_types={name: pa.string() for name in names}, strings_can_be_null=False)
    line = columns.head_lines + 1
    with ByteSource(path) as source:
        stream = pa.PythonFile(_Lines(source, columns, report, progress), mode="r")
        try:
            reader = pa.csv.open_csv(stream, options, parsing, converting)
            for batch in reader:
                for number, width in wrong:
                    report.add_problem(f"line {columns.head_lines + number}", f"{width} columns, not {len(names)}")
                wrong.clear()
                if len(batch):
                    yield line, batch
                line += len(batch)
        except pa.ArrowInvalid as error:
            if "Empty CSV" not in str(error):
                sentence = str(error).split("\n")[0][:200]
                raise CaptureReadError(f"the table cannot be read ({sentence}).", where=str(path)) from error
    for number, width in wrong:
        report.add_problem(f"line {columns.head_lines + number}", f"{width} columns, not {len(names)}")


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
        if self._columns.tail:
            rows = (self._columns.cells(line) for line in data.decode().split("\n"))
            return "\n".join("\t".join(row) for row in rows).encode()
        if self._columns.separator != " ":
            return data
        rows = (line.split() for line in dates_joined(data.decode()).split("\n"))
        return "\n".join("\t".join(row) for row in rows).encode()

    def readable(self) -> bool:
        return True

    def writable(self) -> bool:
        return False

    def seekable(self) -> bool:
        return False

    def close(self) -> None:
        self.closed = True


def numbers(cells: pa.Array, columns: Columns, line: int, name: str, report: ReadReport) -> NDArray[np.float64]:
    """Return cells as numbers, NaN for those that are none, which are listed; float64 (n,)."""
    words = pc.utf8_trim_whitespace(cells)
    if columns.decimal == ",":
        words = pc.replace_substring(words, ",", ".")
    try:
        return pc.cast(words, pa.float64()).to_numpy(zero_copy_only=False)
    except pa.ArrowInvalid:
        return np.array([number_in(word, line + row, name, report) for row, word in enumerate(words.to_pylist())])


def number_in(word: str, line: int, name: str, report: ReadReport) -> float:
    """Return the number in a cell, NaN if it is none, which is listed."""
    try:
        return float(word)
    except ValueError:
        report.add_problem(f"line {line}, column {name}", f"{word[:40]!r} is no number")
        return float("nan")
