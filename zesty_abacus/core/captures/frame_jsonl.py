"""Frames as JSON (RFC 8259), an object a line or all in one array: what ``record`` and ``frames`` write, and alike."""

from __future__ import annotations

import contextlib
import io
import json
import re
from collections.abc import Iterator

import pyarrow as pa

from ..progress import Progress
from .frame_rows import FrameRows, holds_frames
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .source import ByteSource

_PIECE = 4 << 20
_LONGEST_LINE = 2 << 20
_LONGEST_ARRAY = 64 << 20
_ROWS = 1 << 16
_ITEM = re.compile(r"[\s,]*(?=[^\s,\]])")


class FrameJsonLines:
    """Reader of frames as JSON lines."""

    name = "JSON lines"
    suffixes = (".jsonl", ".json")

    def sniff(self, head: bytes) -> bool:
        """Return whether the first lines are objects with what frames have."""
        if head.lstrip().startswith(b"["):
            first = _first_of_array(head)
        elif head.startswith(b"{"):
            first, _, _ = head.partition(b"\n")
        else:
            return False
        return any(holds_frames(batch) for _, batch in _batches(first + b"\n", 1, ReadReport("")))

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Pass all frames to the sink; a line that is no object is listed and left out."""
        rows = FrameRows(str(source.path), sink, report)
        rest, line = b"", 1
        is_array: bool | None = None
        for chunk in source.chunks(report, progress, _PIECE):
            if is_array is None:
                is_array = chunk.lstrip().startswith(b"[")
            if is_array:
                rest += chunk
                if len(rest) > _LONGEST_ARRAY:
                    raise CaptureReadError(
                        f"it is one array of JSON of more than {_LONGEST_ARRAY >> 20} MB, which is read at once.",
                        where=str(source.path), hint="Write it as JSON lines, an object a line.",
                    )  # fmt: skip
                continue
            whole, end, rest = (rest + chunk).rpartition(b"\n")
            if len(rest) > _LONGEST_LINE:
                report.add_problem(f"line {line}", f"it has more than {_LONGEST_LINE} bytes and is left out")
                rest = b""
            for at, batch in _batches(whole + end, line, report):
                rows.take(batch, at)
            line += whole.count(b"\n") + bool(end)
        if is_array:
            _take_array(rest, rows, report)
            return
        for at, batch in _batches(rest, line, report):
            rows.take(batch, at)


FORMAT = FrameJsonLines()


def _first_of_array(head: bytes) -> bytes:
    """Return the first object of an array, in one line; nothing if it is cut or none."""
    text = head.lstrip().removeprefix(b"[").lstrip().decode("utf-8", "replace")
    try:
        return json.dumps(json.JSONDecoder().raw_decode(text)[0]).encode()
    except (ValueError, RecursionError):
        return b""


def _items_of(data: bytes, report: ReadReport) -> list[object]:
    """Return the items of an array; of one that is broken or cut off those before that."""
    with contextlib.suppress(ValueError, RecursionError):
        found = json.loads(data)
        return found if isinstance(found, list) else []
    text, items = data.decode("utf-8", "replace"), list[object]()
    decoder, at = json.JSONDecoder(), text.index("[") + 1
    while (begins := _ITEM.match(text, at)) is not None:
        try:
            item, at = decoder.raw_decode(text, begins.end())
        except (ValueError, RecursionError):
            break
        items.append(item)
    report.add_problem(f"item {len(items) + 1}", "the array is broken here, and is read no further")
    return items


def _take_array(data: bytes, rows: FrameRows, report: ReadReport) -> None:
    found = _items_of(data, report)
    for number, row in enumerate(found, 1):
        if not isinstance(row, dict):
            report.add_problem(f"item {number}", "it is no object")
    table = pa.Table.from_pylist([_as_words(row) for row in found if isinstance(row, dict)])
    at = 1
    for batch in table.to_batches(max_chunksize=_ROWS):
        rows.take(batch, at)
        at += len(batch)


def _batches(data: bytes, line: int, report: ReadReport) -> Iterator[tuple[int, pa.RecordBatch]]:
    """Yield the rows of whole lines, and the line of the first one; where one is broken, the runs of others."""
    if not data.isascii():
        # what is no text becomes a mark; the cell it stands in is then listed
        data = data.decode("utf-8", "replace").encode()
    import pyarrow.json  # every command asks every format, and few have to do with this one

    if data.strip() and b"\n\n" not in data:
        try:
            found = pyarrow.json.read_json(io.BytesIO(data)).combine_chunks().to_batches()
        except pa.ArrowInvalid:
            found = None
        if found is not None:
            yield from ((line, batch) for batch in found)
            return
    yield from _line_by_line(data, line, report)


def _line_by_line(data: bytes, line: int, report: ReadReport) -> Iterator[tuple[int, pa.RecordBatch]]:
    run: list[dict[str, str | None]] = []
    for number, text in enumerate((*data.split(b"\n"), b""), line):
        row = _row_of(text, number, report)
        if row is not None:
            run.append(row)
        elif run:
            yield from ((number - len(run), batch) for batch in pa.Table.from_pylist(run).to_batches())
            run = []


def _row_of(text: bytes, line: int, report: ReadReport) -> dict[str, str | None] | None:
    """Return the row that a line is, None of an empty one and of one that is none, which is listed."""
    if not text.strip():
        return None
    try:
        row = json.loads(text)
    except (ValueError, RecursionError):
        report.add_problem(f"line {line}", "it is no JSON")
        return None
    if not isinstance(row, dict):
        report.add_problem(f"line {line}", "it is no object")
        return None
    return _as_words(row)


def _as_words(row: dict[str, object]) -> dict[str, str | None]:
    """Return a row with all values as words, by the rules of :mod:`.frame_rows`."""
    made: dict[str, str | None] = {}
    for name, value in row.items():
        if isinstance(value, dict):
            made |= {f"{name}.{inside}": word for inside, word in _as_words(value).items()}
        elif isinstance(value, list) and all(type(one) is int for one in value):
            made[name] = " ".join(f"{one:02X}" for one in value)
        else:
            made[name] = None if value is None else str(value)
    return made
