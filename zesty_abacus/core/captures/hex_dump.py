"""Bytes in hex without times: dumps with the place of each line in front, or lines of bytes alone.

``00000010  24 59 58 48 44 54 2C 31  32 33 2E 34 2C 54 2A 32  |$YXHDT,123.4,T*2|`` as dump tools write it, with or
without the letters at the right; bytes may stand together in groups. A line of bytes alone is a piece by itself.
"""

from __future__ import annotations

import re

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..frames.table import FrameTable
from ..progress import Progress
from .hex_cells import bytes_in_hex
from .laid_out import LaidOut
from .pieces import pieces_table
from .registry import Sink
from .report import ReadReport
from .source import ByteSource
from .tables import lines_in
from .whole_lines import pass_on_lines

_PLACE = r"[0-9A-Fa-f]{4,16}[:h]?[ \t]+"
_GROUPS = r"(?:[0-9A-Fa-f]{2})+(?:%s(?:[0-9A-Fa-f]{2})+)*"
_FORMS = {
    # with letters between bars there may be two blanks in the middle of the bytes; else two blanks end them
    "bars": rf"^\s*{_PLACE}(?P<bytes>{_GROUPS % '[ ]{1,2}'})\s+\|.*\|\s*$",
    "placed": rf"^\s*{_PLACE}(?P<bytes>{_GROUPS % '[ ]'})(?:[ ]{{2}}.*)?\s*$",
    "alone": r"^\s*(?P<bytes>(?:0x)?[0-9A-Fa-f]{2}(?:[ \t,:-]*(?:0x)?[0-9A-Fa-f]{2})*)[ \t,]*\s*$",
}
_LEAST_LINES, _LEAST_SHARE = 2, 0.8
_LETTER = re.compile(rb"[A-Fa-f]")
_ONLY_A_PLACE = re.compile(r"\s*[0-9A-Fa-f]{4,16}[:h]?\s*")
_RATE, _PAUSE_BYTES = 9600, 20
"""A usual rate; between lines of bytes alone a pause that every framing takes for an end."""


def _form_of(head: bytes) -> str:
    """Return the form, of :data:`_FORMS`, that nearly all of the first lines have; empty for none."""
    lines = [line for line in head.split(b"\n")[:-1] if line.strip()][:50]
    if len(lines) < _LEAST_LINES or not any(_LETTER.search(line) for line in lines):
        return ""  # digits alone may be numbers
    for name, pattern in _FORMS.items():
        look = re.compile(pattern.encode())
        found = [one for one in map(look.match, lines) if one]
        if len(found) >= _LEAST_SHARE * len(lines) and (name == "alone" or _places_rise(found)):
            return name
    return ""


def _places_rise(lines: list[re.Match[bytes]]) -> bool:
    """Return whether what stands in front of nearly all lines is how many bytes came before, in hex or octal digits."""
    firsts = [one.string.split(None, 1)[0].rstrip(b":h") for one in lines]
    sizes = [len(re.sub(rb"\s", b"", one["bytes"])) // 2 for one in lines]
    for base in (16, 8):
        try:
            places = [int(one, base) for one in firsts]
        except ValueError:
            continue
        fits = [after - before == size for before, after, size in zip(places, places[1:], sizes, strict=False)]
        if sum(fits) >= _LEAST_SHARE * len(fits):
            return True
    return False


class HexDump:
    """Reader of bytes in hex without times."""

    name = "hex dump"
    suffixes: tuple[str, ...] = (".hex",)
    comes_last = True  # tables of bytes have lines of hex digits, too

    def sniff(self, head: bytes) -> bool:
        """Return whether nearly all lines are bytes in hex, and one of them has a letter."""
        return b"\x00" not in head and bool(_form_of(head))

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all lines; those of another form are listed."""
        report.lanes.append("")
        report.holds_bytes = True
        pass_on_lines(source, sink, report, progress, lambda head: _Lines(_form_of(head) or "alone", report))


FORMAT = HexDump()


class _Lines:
    """Makes pieces of serial bytes of lines, block by block."""

    def __init__(self, form: str, report: ReadReport) -> None:
        self._form = form
        self._report = report
        self._laid_out = LaidOut(_RATE, _PAUSE_BYTES if form == "alone" else 0)
        report.facts.append(self._laid_out.fact("its lines"))
        report.byte_ns = self._laid_out.byte_ns

    def frames(self, data: bytes, line: int) -> FrameTable:
        """Return the pieces of whole lines."""
        lines = lines_in(data.decode("ascii", "replace").encode())
        parts = pc.extract_regex(lines, _FORMS[self._form])
        known = parts.is_valid().to_numpy(zero_copy_only=False)
        self._tell_others(lines, known, line)
        if not known.any():
            return FrameTable.empty()
        cells = pc.struct_field(parts.filter(pa.array(known)), "bytes")
        start, size, payload, good = bytes_in_hex(cells, line + np.flatnonzero(known), "bytes", self._report)
        start, size = start[good], size[good]
        return pieces_table(self._laid_out.times(size), start, size, payload)

    def _tell_others(self, lines: pa.Array, known: np.ndarray, line: int) -> None:
        for row in np.flatnonzero(~known):
            text = lines[int(row)].as_py().strip()
            if text == "*":
                reason = "the dump leaves out lines that are like the one before; let it write all"
            elif not text or (self._form != "alone" and _ONLY_A_PLACE.fullmatch(text)):
                continue  # dumps end with how many bytes there were
            else:
                reason = "it is no bytes in hex"
            self._report.add_problem(f"line {line + int(row)}", reason)
