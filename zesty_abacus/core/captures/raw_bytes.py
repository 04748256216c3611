"""Bytes as a port gave them, in a file and nothing else: no times, no frames, known by the ending of its name alone."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..progress import Progress
from .laid_out import LaidOut
from .pieces import pieces_table
from .registry import Sink
from .report import ReadReport
from .source import ByteSource, bare_name

_PIECE = 16
"""Bytes that are one piece: as many as people are used to see in a row."""
_RATE = 9600


class RawBytes:
    """Reader of bytes without anything around them."""

    name = "raw bytes"
    suffixes: tuple[str, ...] = (".bin", ".raw", ".dump")
    comes_last = True

    def sniff(self, head: bytes) -> bool:
        """Return False: any file holds bytes."""
        return False

    def fits_name(self, path: Path, head: bytes) -> bool:
        """Return whether a file that is nothing else has the ending of one of bytes, and some in it."""
        return bool(head) and Path(bare_name(path)).suffix.lower() in self.suffixes

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all bytes in pieces of one size."""
        # what was taken for text of another system may be bytes that look like it
        with ByteSource(source.path, as_stored=True) as stored:
            self._read(stored, sink, report, progress)

    def _read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        report.lanes.append("")
        report.holds_bytes = True
        laid_out = LaidOut(_RATE)
        report.facts.append(laid_out.fact("its bytes"))
        report.byte_ns = laid_out.byte_ns
        for chunk in source.chunks(report, progress):
            payload = np.frombuffer(chunk, np.uint8)
            start = np.arange(0, len(payload), _PIECE, dtype=np.int64)
            size = np.minimum(_PIECE, len(payload) - start).astype(np.uint32)
            sink(pieces_table(laid_out.times(size), start, size, payload))


FORMAT = RawBytes()
