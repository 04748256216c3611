"""Text in blocks of whole lines, and frames of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Protocol

from ..frames.table import FrameTable
from ..progress import Progress
from .registry import Sink
from .report import ReadReport
from .source import ByteSource

LONGEST_LINE = 1 << 20
_HEAD = 1 << 14


def whole_lines(source: ByteSource, report: ReadReport, progress: Progress) -> Iterator[tuple[bytes, int]]:
    """Yield whole lines, each with its end, and the number of the first; one that has none is listed and left out."""
    rest, line = b"", 1
    for chunk in source.chunks(report, progress):
        whole, end, rest = (rest + chunk).rpartition(b"\n")
        if len(rest) > LONGEST_LINE:
            report.add_problem(f"line {line}", f"it has more than {LONGEST_LINE} bytes and is left out")
            rest = b""
        if end:
            yield whole + end, line
            line += whole.count(b"\n") + 1
    if rest:
        yield rest + b"\n", line


class Lines(Protocol):
    """What makes frames of whole lines, block by block."""

    def frames(self, data: bytes, line: int) -> FrameTable:
        """Return the frames of whole lines; ``line`` is the number of the first."""
        ...


def pass_on_lines(
    source: ByteSource, sink: Sink, report: ReadReport, progress: Progress, begin: Callable[[bytes], Lines]
) -> None:
    """Pass the frames of all lines to a sink; ``begin`` makes what reads them, by the first bytes."""
    lines: Lines | None = None
    for data, first in whole_lines(source, report, progress):
        lines = lines or begin(data[:_HEAD])
        table = lines.frames(data, first)
        if len(table):
            sink(table)
