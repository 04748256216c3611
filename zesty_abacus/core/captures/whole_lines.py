"""Text in blocks of whole lines."""

from __future__ import annotations

from collections.abc import Iterator

from ..progress import Progress
from .report import ReadReport
from .source import ByteSource

LONGEST_LINE = 1 << 20


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
