"""Frames as JSON lines (RFC 8259, one object a line): what ``record`` and ``frames`` write, and others like it."""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from pathlib import Path

import pyarrow as pa

from ..frames.table import FrameTable
from ..progress import Progress
from .frame_rows import FrameRows, holds_frames, rows_of
from .output import ByteOutput
from .registry import Sink
from .report import ReadReport
from .source import ByteSource

_PIECE = 4 << 20
_LONGEST_LINE = 2 << 20


class FrameJsonLines:
    """Reader and writer of frames as JSON lines."""

    name = "JSON lines"
    suffixes = (".jsonl",)
    protocols: tuple[str, ...] = ()
    is_for_one_lane = False

    def sniff(self, head: bytes) -> bool:
        """Return whether the first lines are objects with what frames have."""
        if not head.startswith(b"{"):
            return False
        first, _, _ = head.partition(b"\n")
        batches = _batches(first + b"\n", 1, ReadReport(""))
        return bool(batches) and holds_frames(batches[0])

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Pass all frames to the sink; a line that is no object is listed and left out."""
        rows = FrameRows(str(source.path), sink, report)
        rest, line = b"", 1
        for chunk in source.chunks(report, progress, _PIECE):
            whole, end, rest = (rest + chunk).rpartition(b"\n")
            if len(rest) > _LONGEST_LINE:
                report.add_problem(f"line {line}", f"it has more than {_LONGEST_LINE} bytes and is left out")
                rest = b""
            for batch in _batches(whole + end, line, report):
                rows.take(batch)
            line += whole.count(b"\n") + bool(end)
        for batch in _batches(rest, line, report):
            rows.take(batch)

    def open_writer(self, path: Path, lanes: Sequence[str]) -> FrameJsonLinesWriter:
        """Start a file of JSON lines."""
        return FrameJsonLinesWriter(path, lanes)


FORMAT = FrameJsonLines()


def _batches(data: bytes, line: int, report: ReadReport) -> list[pa.RecordBatch]:
    """Return the rows of whole lines; where one is broken, those of all others."""
    if not data.strip():
        return []
    if not data.isascii():
        # what is no text becomes a mark; the cell it stands in is then listed
        data = data.decode("utf-8", "replace").encode()
    import pyarrow.json  # every command asks every format, and few have to do with this one

    try:
        return pyarrow.json.read_json(io.BytesIO(data)).combine_chunks().to_batches()
    except pa.ArrowInvalid:
        good = []
        for number, text in enumerate(data.split(b"\n"), line):
            try:
                row = json.loads(text) if text.strip() else None
            except (ValueError, RecursionError):
                report.add_problem(f"line {number}", "it is no JSON")
                continue
            if isinstance(row, dict):
                good.append({str(name): None if value is None else str(value) for name, value in row.items()})
            elif row is not None:
                report.add_problem(f"line {number}", "it is no object")
        return pa.Table.from_pylist(good).to_batches() if good else []


class FrameJsonLinesWriter:
    """Writes frames as JSON lines."""

    def __init__(self, path: Path, lanes: Sequence[str]) -> None:
        self._output = ByteOutput(path)
        self._lanes = list(lanes)

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table."""
        lines = (json.dumps(row, separators=(",", ":")) + "\n" for row in rows_of(table, self._lanes).to_pylist())
        self._output.write("".join(lines).encode())

    def close(self) -> None:
        """Finish the file."""
        self._output.close()
