"""Lines of text as a terminal logs them: a time, perhaps a direction, and what came; or bare sentences.

The time is in seconds with a fraction, a date (ISO 8601), or the time of day, also in brackets; ``>`` ``<`` ``tx``
``rx`` say which way, if nearly all lines have them. What follows is taken as it stands and gets the end of line again
that the log took off; bytes in hex are those bytes. Sentences of IEC 61162-1 are also read without times, since much
equipment stores them so: then they lie one behind the other as its wire carries them.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable
from ..progress import Progress
from .columns import CLOCK, DATE, MONTH_FIRST, MONTH_FIRST_TOLD, WRITTEN_OUT, Columns, date_form
from .hex_cells import Bytes, bytes_in_hex
from .laid_out import LaidOut
from .pieces import pieces_table
from .reference import looks_like_reference
from .registry import Sink
from .report import ReadReport
from .source import ByteSource
from .table_times import TableTimes, Times
from .tables import lines_in
from .whole_lines import pass_on_lines

_TIMES = {**WRITTEN_OUT, "s": r"\d{1,10}\.\d{1,9}"}
_APART = r"(?:[\])][ \t]*|[ \t]*[,;|:][ \t]*|[ \t]+)"
"""What stands between a time, a direction and a text, and belongs to none of them."""
_WAY = r"[\[(]?(?P<way>[<>]|[RrTt][Xx])"
_TEXT = r"(?P<text>[^\r\n]*)"
_QUOTED = r'"(?P<quoted>(?:[^"\n]|"")*)"'
_TAGS = r"(?:\\[^\\\n]*\\)?"
"""Blocks of tags that IEC 61162-450 puts before a sentence."""
_SENTENCE = r"(?P<text>[$!][0-9A-Z]{2,}[ ,*][^\n]*?)"
_LEAST_SHARE = 0.8
_LOOKED_AT = 50
_MOST_HEAD = 3
_BYTES = re.compile(rb"(?:0x)?[0-9A-Fa-f]{2}(?:[ ,:-]*(?:0x)?[0-9A-Fa-f]{2})*\s*")
_IS_TEXT = re.compile(rb"[A-Za-z$!]")
_RATE = 4800
"""Of the wires of IEC 61162-1, in bit/s."""
_END = b"\r\n"


@dataclass(frozen=True, slots=True)
class _Shape:
    """How the lines of a log are written.

    Attributes
    ----------
    time_unit
        Of :data:`_TIMES`; empty where lines have no time.
    has_way
    is_quoted
        Whether the text stands in double quotes, as tables have it.
    is_hex
        Whether the text is bytes in hex digits.
    """

    time_unit: str
    has_way: bool = False
    is_quoted: bool = False
    is_hex: bool = False

    def pattern(self, *, whole: bool) -> str:
        """Return what a line looks like, as both Python and Arrow read it.

        Parameters
        ----------
        whole
            Whether the direction and the quotes must be there; a line that lost them is read all the same.
        """
        if not self.time_unit:
            return rf"^\s*{_TAGS}{_SENTENCE}\s*$"
        way = f"(?:{_WAY}{_APART}){'' if whole else '?'}" if self.has_way else ""
        text = f"(?:{_QUOTED}{'' if whole else '|' + _TEXT})" if self.is_quoted else _TEXT
        return rf"^\s*[\[(]?(?P<time>{_TIMES[self.time_unit]}){_APART}{way}{_TAGS}{text}\s*$"


def _shape_of(head: bytes) -> _Shape | None:
    """Return how nearly all of the first lines are written, None for no log of text."""
    lines = [line for line in head.split(b"\n")[:-1] if line.strip()][:_LOOKED_AT]
    if b"\x00" in head:
        return None
    for unit in (DATE, CLOCK, "s", ""):
        plain = _Shape(unit)
        found = _looked_for(plain, lines)
        begins = next((number for number, one in enumerate(found[:_MOST_HEAD]) if one), len(lines))
        timed = [one for one in found if one]
        says_something = any(_IS_TEXT.search(one["text"]) for one in timed)
        if not says_something or len(timed) < _LEAST_SHARE * (len(lines) - begins):
            continue
        shapes = [_Shape(unit, way, quoted) for way in (True, False) for quoted in (True, False)] if unit else []
        chosen = next((one for one in shapes if _is_way_of(one, [line.string for line in timed])), plain)
        form = date_form(one["time"].decode() for one in timed) if unit == DATE else unit
        return replace(chosen, time_unit=form, is_hex=bool(unit) and _holds_hex(chosen, timed))
    return None


def _holds_hex(shape: _Shape, lines: list[re.Match[bytes]]) -> bool:
    """Return whether what is said in nearly all lines is bytes."""
    found = [one for one in _looked_for(shape, [line.string for line in lines]) if one]
    said = [one["quoted" if shape.is_quoted else "text"] for one in found]
    return sum(bool(_BYTES.fullmatch(text)) for text in said) >= _LEAST_SHARE * len(lines)


def _looked_for(shape: _Shape, lines: list[bytes]) -> list[re.Match[bytes] | None]:
    pattern = re.compile(shape.pattern(whole=True).encode())
    return [pattern.match(line) for line in lines]


def _is_way_of(shape: _Shape, lines: list[bytes]) -> bool:
    return sum(map(bool, _looked_for(shape, lines))) >= _LEAST_SHARE * len(lines)


class TextLines:
    """Reader of lines of text."""

    name = "text lines"
    suffixes: tuple[str, ...] = (".txt", ".nmea")
    comes_last = True  # text with a time in front is what other text formats are, too

    def sniff(self, head: bytes) -> bool:
        """Return whether nearly all lines have a time and a text, or are sentences, and it is no table of numbers."""
        return _shape_of(head) is not None and not looks_like_reference(head)

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all lines; those that have another form are listed."""
        report.lanes.append("")
        report.holds_bytes = True
        pass_on_lines(source, sink, report, progress, lambda head: _Lines(_shape_of(head) or _Shape("s"), report))


FORMAT = TextLines()


class _Lines:
    """Makes pieces of serial bytes of lines, block by block."""

    def __init__(self, shape: _Shape, report: ReadReport) -> None:
        self._shape = shape
        self._report = report
        self._times = TableTimes(Columns(time_unit=shape.time_unit or "s"), report)
        self._laid_out = LaidOut(_RATE)
        self._has_begun = False
        if shape.time_unit == MONTH_FIRST:
            report.facts.append(MONTH_FIRST_TOLD)
        if not shape.time_unit:
            report.facts.append(self._laid_out.fact("its lines"))

    def frames(self, data: bytes, line: int) -> FrameTable:
        """Return the pieces of whole lines; those of another form are listed, a head before the first one is not."""
        if self._shape.is_hex and not data.isascii():
            # what is no text becomes a mark, and is listed with its cell
            data = data.decode("utf-8", "replace").encode()
        lines = lines_in(data, pa.binary())
        parts = pc.extract_regex(lines, self._shape.pattern(whole=False))
        known = parts.is_valid().to_numpy(zero_copy_only=False)
        self._tell_others(lines, known, line)
        if not known.any():
            return FrameTable.empty()
        parts = parts.filter(pa.array(known))
        rows = np.flatnonzero(known)
        start, size, payload, good = self._bytes_of(parts, line + rows)
        time_ns, timed = self._times_of(parts, size, line + rows)
        kept = np.flatnonzero(good & timed & (size > 0))
        return pieces_table(time_ns[kept], start[kept], size[kept], payload, self._ways(parts)[kept])

    def _tell_others(self, lines: pa.Array, known: NDArray[np.bool_], line: int) -> None:
        blank = pc.match_substring_regex(lines, r"^\s*$").to_numpy(zero_copy_only=False)
        other = np.flatnonzero(~known & ~blank)
        if not self._has_begun and known.any():
            other = other[other > np.argmax(known)]
            self._has_begun = True
        reason = "it does not begin with a time" if self._shape.time_unit else "it is no sentence"
        self._report.add_problems(
            ((line + int(row), 0) for row in other), len(other), lambda at, _: (f"line {at}", reason)
        )

    def _texts(self, parts: pa.StructArray) -> pa.Array:
        texts = pc.struct_field(parts, "text")
        if not self._shape.is_quoted:
            return texts
        # what has no quotes is the one and empty the other
        quoted = pc.replace_substring(pc.struct_field(parts, "quoted"), b'""', b'"')
        return pc.binary_join_element_wise(quoted, texts, pa.scalar(b""))

    def _bytes_of(self, parts: pa.StructArray, lines: NDArray[np.int64]) -> Bytes:
        texts = self._texts(parts)
        if self._shape.is_hex:
            return bytes_in_hex(pc.cast(texts, pa.string()), lines, "bytes", self._report)
        start, size, payload = _with_ends(texts)
        return start, np.where(size > len(_END), size, 0).astype(np.uint32), payload, np.ones(len(size), np.bool_)

    def _times_of(self, parts: pa.StructArray, size: NDArray[np.uint32], lines: NDArray[np.int64]) -> Times:
        if self._shape.time_unit:
            return self._times.of(pc.cast(pc.struct_field(parts, "time"), pa.string()), lines)
        return self._laid_out.times(size), np.ones(len(size), np.bool_)

    def _ways(self, parts: pa.StructArray) -> NDArray[np.uint32]:
        """Return the flags of directions."""
        if not self._shape.has_way:
            return np.zeros(len(parts), np.uint32)
        way = pc.struct_field(parts, "way")
        is_sent, is_received = (
            pc.match_substring_regex(way, signs).to_numpy(zero_copy_only=False) for signs in ("^[>Tt]", "^[<Rr]")
        )
        return (is_sent * F.SENT | is_received * F.RECEIVED).astype(np.uint32)


def _with_ends(texts: pa.Array) -> tuple[NDArray[np.int64], NDArray[np.uint32], NDArray[np.uint8]]:
    """Return start and size of each text with the end of line behind it, and the bytes of all."""
    ended = pc.binary_join_element_wise(texts, pa.scalar(_END), pa.scalar(b""))
    _, offsets, data = ended.buffers()
    places = np.frombuffer(offsets, np.int32)[ended.offset : ended.offset + len(ended) + 1].astype(np.int64)
    return places[:-1], np.diff(places).astype(np.uint32), np.frombuffer(data, np.uint8)
