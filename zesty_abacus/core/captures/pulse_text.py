"""Pulse and space lengths in microseconds as text: ``350 1050``, ``+350 -1050`` or ``pulse 350 space 1050``."""

from __future__ import annotations

import re
from array import array
from pathlib import Path

import numpy as np

from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import Channel, LineRecording
from .columns import Columns
from .report import CaptureReadError, ReadReport
from .source import ByteSource

_LONGEST = 1 << 20
_TOKEN = re.compile(rb"#[^\n]*|[^\s,;]+")
_LENGTH = re.compile(rb"([+-]?)(\d{1,12}(?:\.\d{1,6})?)")


class PulseText:
    """Reader of pulse lengths."""

    name = "pulse lengths"
    suffixes = (".pulses", ".txt")

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether there is nothing but lengths, signs and the two words."""
        tokens = [token for token in _TOKEN.findall(head)[:-1] if not token.startswith(b"#")]
        if len(tokens) < 4 or b"\x00" in head:
            return False
        if tokens[0].lower() in (b"pulse", b"space"):
            return all(_LENGTH.fullmatch(token) or token.lower() in (b"pulse", b"space") for token in tokens)
        if not all(_LENGTH.fullmatch(token) for token in tokens):
            return False
        signed = sum(token[:1] in b"+-" for token in tokens)
        # bare numbers alone may be any table; a line of many of them, or the file's ending, tells
        widest = max(len(line.split()) for line in head.splitlines()) if head.splitlines() else 0
        return signed > len(tokens) * 0.4 or (
            signed == 0 and (path.suffix == ".pulses" or (widest > 12 and b"," not in head))
        )

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Read lengths into one line; a word that is no length is listed and left out.

        Raises
        ------
        CaptureReadError
            If there is no length at all.
        """
        words = _Words(report)
        with ByteSource(path) as source:
            for chunk in source.chunks(report, progress):
                words.take(chunk)
            words.finish()
        if not words.lengths:
            raise CaptureReadError("there is no length of a pulse.", where=str(path), hint="Expected such as 350 1050.")
        levels, lengths = np.array(words.levels, np.int8), np.array(words.lengths, np.float64)
        return LineRecording("pulse lengths", (Channel("line", edges=_edges(levels, lengths)),))


LINES = PulseText()


class _Words:
    """The words of a file, taken piece by piece.

    Attributes
    ----------
    levels, lengths
        Of each pulse or space, lengths in nanoseconds; as plain numbers, since there may be millions.
    """

    def __init__(self, report: ReadReport) -> None:
        self.levels, self.lengths = array("b"), array("d")
        self._report = report
        self._rest, self._offset, self._word = b"", 0, b""

    def take(self, chunk: bytes) -> None:
        """Take whole words; of a comment, whole lines."""
        data = self._rest + chunk
        cut = data.rfind(b"\n") + 1
        if b"#" not in data[cut:]:
            # all may stand on one line
            cut = max(cut, *(data.rfind(blank) + 1 for blank in (b" ", b"\t", b"\r")))
        if not cut and len(data) > _LONGEST:
            self._report.add_problem(f"byte {self._offset}", f"more than {_LONGEST} bytes without a blank are left out")
            self._offset += len(data)
            self._rest = b""
            return
        self._take(data[:cut])
        self._rest = data[cut:]

    def finish(self) -> None:
        """Take what is left."""
        self._take(self._rest)

    def _take(self, data: bytes) -> None:
        for match in _TOKEN.finditer(data):
            token = match.group()
            if token.startswith(b"#"):
                continue
            if token.lower() in (b"pulse", b"space"):
                self._word = token.lower()
                continue
            found = _LENGTH.fullmatch(token)
            if found is None:
                place = f"byte {self._offset + match.start()}"
                self._report.add_problem(place, f"{token[:30].decode('ascii', 'replace')!r} is no length")
                continue
            self.levels.append(self._level(found.group(1)))
            self.lengths.append(float(found.group(2)) * 1000)
            self._word = b""
        self._offset += len(data)

    def _level(self, sign: bytes) -> int:
        if self._word or sign:
            return int(self._word == b"pulse" or (not self._word and sign == b"+"))
        return 1 - self.levels[-1] if self.levels else 1


def _edges(levels: np.ndarray, lengths: np.ndarray) -> Edges:
    """Put lengths one after another; two of one level follow each other as one."""
    ends = np.rint(np.cumsum(lengths)).astype(np.int64)
    begins = np.concatenate([[0], ends[:-1]])
    changes = np.flatnonzero(np.diff(levels)) + 1
    # a recording of pulse lengths begins where the first pulse does, and ends with the last: beyond it was quiet
    if levels[0] == 1:
        changes = np.concatenate([[0], changes])
    quiet = 100_000_000
    end = int(ends[-1]) + (quiet if levels[-1] == 1 else 0)
    if levels[-1] == 1:
        changes = np.concatenate([changes, [len(levels)]])
        begins, levels = np.concatenate([begins, [ends[-1]]]), np.concatenate([levels, [0]])
    return Edges(begins[changes], levels[changes].astype(np.int8), 0, int(begins[0]) - quiet, end)
