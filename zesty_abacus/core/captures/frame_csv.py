"""Tables of frames: a row a frame, its columns guessed or chosen; the payload in one column or a byte a column."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable
from ..progress import Progress
from .column_guess import guess_columns
from .columns import Columns
from .cutting import CutAtLines, Cuts
from .hex_cells import bytes_in_hex
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .source import ByteSource
from .table_times import TableTimes
from .tables import numbers, read_rows
from .time_guess import told_guesses

_GUESSED = 1 << 16
"""Bytes that columns are guessed from."""


class FrameCsv:
    """Reader of tables of frames; they are written as any other table that leaves."""

    name = "frame table"
    suffixes = (".csv",)

    def sniff(self, head: bytes) -> bool:
        """Return whether this is a table with payloads."""
        columns = guess_columns(head.decode("utf-8", "replace"))
        return columns is not None and bool(columns.of_role("payload") or columns.of_role("byte"))

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read with the guessed columns."""
        self.read_with(source.path, None, sink, report, progress)

    def read_with(
        self, path: Path, columns: Columns | None, sink: Sink, report: ReadReport, progress: Progress
    ) -> None:
        """Read with the given columns.

        Raises
        ------
        CaptureReadError
            If there is no column with a payload.
        """
        is_chosen = columns is not None
        if columns is None:
            with ByteSource(path) as source:
                columns = guess_columns(source.head(_GUESSED).decode("utf-8", "replace"))
        if columns is None or not (columns.of_role("payload") or columns.of_role("byte")):
            raise CaptureReadError(
                "no column with a payload is chosen.", where=str(path), hint="Choose columns on Intake."
            )
        row = 0
        times = TableTimes(columns, report)
        report.facts += told_guesses(columns, is_chosen=is_chosen)
        # rows that are for nobody are pieces of a stream
        report.holds_bytes = not columns.of_role("address")
        for lines, batch in read_rows(path, columns, report, progress):
            table = frames_in(batch, columns, times, lines, row, report)
            row += len(batch)
            if len(table):
                sink(table)

    def cuts(self, file: BinaryIO, size: int, every: int) -> Cuts | None:
        """Return cuts between rows, where each piece by itself is guessed to be the same table.

        A table without times counts its rows, and a cell in quotes may go over several lines: these are not cut.
        """
        file.seek(0)
        beginning = file.read(_GUESSED)
        columns = guess_columns(beginning.decode("utf-8", "replace"))
        if columns is None or not columns.of_role("time") or b'"' in beginning:
            return None
        head = b"".join(beginning.splitlines(keepends=True)[: columns.head_lines])
        found = CutAtLines().cuts(file, size, every)
        # a few rows at the end would be guessed from too little
        places = [place for place in found.places if size - place >= every // 2] if found is not None else []
        for place in places:
            file.seek(place)
            rows = file.read(_GUESSED)
            if b'"' in rows or guess_columns((head + rows).decode("utf-8", "replace")) != columns:
                return None
        return Cuts(len(head), tuple(places))


FORMAT = FrameCsv()


def frames_in(
    batch: pa.RecordBatch, columns: Columns, times: TableTimes, lines: NDArray[np.int64], row: int, report: ReadReport
) -> FrameTable:  # fmt: skip
    """Return the frames of rows of words, a column for each of the columns; rows that are none are listed.

    Parameters
    ----------
    lines : int64 (n,)
        Where each row stands in the file.
    row
        Number of the first one, from 0.
    """
    count = len(batch)
    good = np.ones(count, np.bool_)
    time = (
        np.arange(row, row + count) * round(1e9 / columns.rate_hz) if columns.rate_hz else np.arange(row, row + count)
    )
    for place in columns.of_role("time"):
        time, fine = times.of(batch.column(place), lines)
        good &= fine
    address = np.zeros(count, np.int64)
    for place in columns.of_role("address"):
        address, fine = _integers(batch.column(place), columns.base, lines, columns.names[place], report)
        good &= fine
    flags = np.zeros(count, np.uint32)
    for place in columns.of_role("direction"):
        flags |= _flags(batch.column(place), lines, columns.names[place], report, F.flags_of_direction)
    said = columns.of_role("flags")
    for place in said:
        flags |= _flags(batch.column(place), lines, columns.names[place], report)
    if not said:
        # a table that does not say so is taken for one of CAN, whose long identifiers are the extended ones
        is_long = (address > 0x7FF) | _written_long(batch, columns)
        flags |= np.where(is_long & (address <= 0x1FFF_FFFF), F.EXTENDED, 0).astype(np.uint32)
    lane = np.zeros(count, np.uint16)
    for place in columns.of_role("lane"):
        coded = pc.dictionary_encode(batch.column(place))
        names = coded.dictionary.to_pylist()
        report.lanes += [name for name in names if name not in report.lanes]
        numbers_of = np.array([report.lanes.index(name) for name in names], np.uint16)
        lane = numbers_of[coded.indices.to_numpy(zero_copy_only=False)]
    if not report.lanes:
        report.lanes.append("")
    starts, sizes, payload, fine = _payloads(batch, columns, lines, report)
    good &= fine
    return FrameTable(
        time[good].astype(np.int64), lane[good], address[good], flags[good], starts[good], sizes[good], payload
    )


def _written_long(batch: pa.RecordBatch, columns: Columns) -> NDArray[np.bool_]:
    """Return which addresses are written in eight hex digits, as an identifier of 29 bits is, however small."""
    for place in columns.of_role("address"):
        if columns.base == 16:
            words = pc.utf8_trim_whitespace(batch.column(place))
            return pc.match_substring_regex(words, r"^(0[xX])?[0-9A-Fa-f]{8}h?$").to_numpy(zero_copy_only=False)
    return np.zeros(len(batch), np.bool_)


def _flags(
    cells: pa.Array, lines: NDArray[np.int64], name: str, report: ReadReport,
    meant: Callable[[str], tuple[int, list[str]]] = F.flags_of_words,
) -> NDArray[np.uint32]:  # fmt: skip
    """Return the flags that cells name; a word that is none is told, and passed over."""
    coded = pc.dictionary_encode(pc.fill_null(cells, ""))
    known = np.zeros(len(coded.dictionary), np.uint32)
    places = coded.indices.to_numpy(zero_copy_only=False)
    for number, text in enumerate(coded.dictionary.to_pylist()):
        bits, strange = meant(text)
        known[number] = bits
        if strange:
            where = lines[np.flatnonzero(places == number)[0]]
            report.add_problem(f"line {where}, column {name}", f"{strange[0][:40]!r} says nothing of a frame")
    return known[places] if len(known) else np.zeros(len(cells), np.uint32)


def _integers(
    cells: pa.Array, base: int, lines: NDArray[np.int64], name: str, report: ReadReport
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Return cells as whole numbers and which of them are good."""
    words = pc.utf8_trim_whitespace(cells)
    values, good = np.zeros(len(words), np.int64), np.ones(len(words), np.bool_)
    # one look at each distinct word: addresses are few
    coded = pc.dictionary_encode(words)
    known = []
    for word in coded.dictionary.to_pylist():
        try:
            number = _number_in(word, base)
            known.append(number if 0 <= number < 1 << 63 else -1)
        except ValueError:
            known.append(-1)
    if len(known):
        values = np.array(known, np.int64)[coded.indices.to_numpy(zero_copy_only=False)]
        good = values >= 0
    for place in np.flatnonzero(~good):
        report.add_problem(f"line {lines[place]}, column {name}", f"{words[int(place)].as_py()[:40]!r} is no number")
    return values, good


def _number_in(word: str, base: int) -> int:
    """Return a whole number in a base, or in hex where it says so: ``0x1A0``, ``1A0h``."""
    if word[-1:] in ("h", "H"):
        return int(word[:-1], 16)
    return int(word, 0 if word[:2].lower() == "0x" else base)


def _payloads(
    batch: pa.RecordBatch, columns: Columns, lines: NDArray[np.int64], report: ReadReport
) -> tuple[NDArray[np.int64], NDArray[np.uint32], NDArray[np.uint8], NDArray[np.bool_]]:
    """Return start, size, bytes and which rows are good."""
    if columns.of_role("payload"):
        place = columns.of_role("payload")[0]
        return bytes_in_hex(batch.column(place), lines, columns.names[place], report)
    count = len(batch)
    sizes = np.full(count, -1.0)
    for place in columns.of_role("size"):
        sizes = numbers(batch.column(place), columns, lines, "size", report)
    cells, good = [], np.ones(count, np.bool_)
    filled = np.zeros(count, np.int64)
    for number, place in enumerate(columns.of_role("byte")):
        empty = pc.equal(pc.utf8_trim_whitespace(batch.column(place)), "").to_numpy(zero_copy_only=False)
        safe = pc.if_else(pa.array(empty), "0", batch.column(place))
        values, fine = _integers(safe, columns.byte_base, lines, columns.names[place], report)
        good &= fine & (values < 256)
        cells.append(values)
        filled = np.where(empty, filled, number + 1)
    matrix = np.stack(cells, axis=1).astype(np.uint8)
    length = np.where(np.isfinite(sizes) & (sizes >= 0), np.clip(np.nan_to_num(sizes), 0, len(cells)), filled)
    return np.arange(count) * matrix.shape[1], length.astype(np.uint32), matrix.reshape(-1), good
