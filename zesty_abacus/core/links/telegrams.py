"""Where a telegram of bytes begins and ends: by a silent gap, by length, by codes, by line ends, by sentences."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..lines.result import ByteRun, LineResult
from ..lines.settings import Setting
from ..words import grouped
from .framing import Framing, byte_run_of, bytes_in_spans

_GAP_CHARACTERS = 2.5
LONGEST = 4096
"""A telegram by codes that is longer is cut; hostile bytes end it too."""


class GapFraming(Framing, frozen=True, kw_only=True, tag="gap"):
    """A silence ends a telegram; None is measured."""

    gap_us: float | None = None

    @property
    def waits_ms(self) -> float:
        """How long the silence is that ends one."""
        return (self.gap_us or 0.0) / 1000


class LengthFraming(Framing, frozen=True, kw_only=True, tag="length"):
    """Telegrams of one length; a silence begins anew."""

    length: int = 8
    gap_us: float | None = None

    @property
    def waits_ms(self) -> float:
        """How long the silence is that ends one."""
        return (self.gap_us or 0.0) / 1000


class CodeFraming(Framing, frozen=True, kw_only=True, tag="codes"):
    """Codes that begin and end a telegram, in hex; either may be empty."""

    begin: str = ""
    end: str = ""


class LineEndFraming(Framing, frozen=True, kw_only=True, tag="line end"):
    """A line feed ends a telegram; the carriage return before it is left out."""


class SentenceFraming(Framing, frozen=True, kw_only=True, tag="sentences"):
    """Sentences ``$HEAD,…*hh``: the exclusive-or of everything between the two signs stands behind as hex."""


class _Gap:
    name = "silent gap"
    takes = "bytes"
    protocol = "serial"
    settings = GapFraming
    fields = (Setting("gap_us", "silence", "number", "µs", measured=True),)

    def apply(self, settings: GapFraming, result: LineResult) -> LineResult:
        run = byte_run_of(result)
        return bytes_in_spans(result, run, gap_spans(run, settings.gap_us))

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        spans = gap_spans(run, None)
        if len(run) < 4 or len(spans) < 2:
            return None
        # a silence fits nearly everything; what knows more of the bytes is to win
        return GapFraming(), 0.4, f"{grouped(len(spans))} groups of bytes with silence between them"


class _Length:
    name = "fixed length"
    takes = "bytes"
    protocol = "serial"
    settings = LengthFraming
    fields = (
        Setting("length", "bytes a telegram", "number"),
        Setting("gap_us", "silence", "number", "µs", measured=True),
    )

    def apply(self, settings: LengthFraming, result: LineResult) -> LineResult:
        if settings.length < 1:
            raise MisuseError(f"length={settings.length}, expected at least 1 byte.")
        run = byte_run_of(result)
        pieces = []
        for first, last in gap_spans(run, settings.gap_us):
            starts = np.arange(first, last, settings.length)
            pieces.append(np.stack([starts, np.minimum(starts + settings.length, last)], axis=1))
        spans = np.concatenate(pieces) if pieces else np.empty((0, 2), np.int64)
        # what a silence cut is kept and marked: it may be the telegram that somebody looks for
        short = (spans[:, 1] - spans[:, 0] < settings.length).astype(np.int64) * F.CUT_SHORT
        return bytes_in_spans(result, run, spans, short)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        return None


class _Codes:
    name = "start and end codes"
    takes = "bytes"
    protocol = "serial"
    settings = CodeFraming
    fields = (Setting("begin", "begins with (hex)", "text"), Setting("end", "ends with (hex)", "text"))

    def apply(self, settings: CodeFraming, result: LineResult) -> LineResult:
        begin, end = _code(settings.begin, "begin"), _code(settings.end, "end")
        if not len(begin) and not len(end):
            raise MisuseError("begin and end are both empty.", hint="Write at least one code, such as 02.")
        run = byte_run_of(result)
        spans, flags = _by_codes(run.value, begin, end)
        return bytes_in_spans(result, run, spans, flags)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        spans = gap_spans(run, None)
        if len(spans) < 8:
            return None
        firsts, lasts = run.value[spans[:, 0]], run.value[spans[:, 1] - 1]
        for code_first, code_last in ((0x02, 0x03), (0x7E, 0x7E), (0x10, 0x03)):
            share = float(np.mean((firsts == code_first) & (lasts == code_last)))
            if share > 0.9:
                words = f"{share:.0%} of the groups begin with {code_first:02X} and end with {code_last:02X}"
                return CodeFraming(begin=f"{code_first:02X}", end=f"{code_last:02X}"), 0.7, words
        return None


class _LineEnd:
    name = "line end"
    takes = "bytes"
    protocol = "serial"
    settings = LineEndFraming
    fields = ()

    def apply(self, settings: LineEndFraming, result: LineResult) -> LineResult:
        run = byte_run_of(result)
        spans, flags = _by_codes(run.value, np.empty(0, np.uint16), np.array([0x0A], np.uint16))
        kept = spans.copy()
        for drop in (0x0A, 0x0D):
            last = np.maximum(kept[:, 1] - 1, kept[:, 0])
            kept[:, 1] -= (kept[:, 1] > kept[:, 0]) & (run.value[last] == drop)
        return bytes_in_spans(result, run, spans, flags, kept=kept)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        value = byte_run_of(result).value
        printable = float(np.mean(((value >= 32) & (value < 127)) | np.isin(value, (9, 10, 13)))) if len(value) else 0.0
        ends = int((value == 10).sum())
        if printable < 0.97 or ends < 2:
            return None
        return LineEndFraming(), 0.6 * printable, f"{printable:.0%} of the bytes are text, in {ends} lines"


class _Sentences:
    name = "checked sentences"
    takes = "bytes"
    protocol = "sentence"
    settings = SentenceFraming
    fields = ()

    def apply(self, settings: SentenceFraming, result: LineResult) -> LineResult:
        run = byte_run_of(result)
        spans, kept, flags, address = _sentences(run.value)
        return bytes_in_spans(result, run, spans, flags, address, kept)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        _, _, flags, _ = _sentences(run.value)
        good = int((flags == 0).sum())
        if good < 2 or good < 0.5 * len(flags):
            return None
        return (
            SentenceFraming(),
            0.5 + 0.5 * good / len(flags),
            f"{grouped(good)} of {grouped(len(flags))} sentences have a check that agrees",
        )


FRAMINGS = (_Gap(), _Length(), _Codes(), _LineEnd(), _Sentences())


def gap_spans(run: ByteRun, gap_us: float | None) -> NDArray[np.int64]:
    """Return first and after-last byte of each group between silences; int64 (m, 2).

    A silence of None is two and a half characters, or half the way to a clearly longer pause.
    """
    if not len(run):
        return np.empty((0, 2), np.int64)
    pauses = run.start_ns[1:] - run.end_ns[:-1]
    gap = gap_us * 1000 if gap_us else measured_gap(run)
    breaks = np.flatnonzero(pauses > gap) + 1
    return np.stack([np.concatenate([[0], breaks]), np.concatenate([breaks, [len(run)]])], axis=1).astype(np.int64)


def measured_gap(run: ByteRun) -> float:
    """Return the silence that divides groups, in nanoseconds."""
    character = float(np.median(run.end_ns - run.start_ns))
    return _GAP_CHARACTERS * character


def _code(text: str, name: str) -> NDArray[np.uint16]:
    try:
        return np.frombuffer(bytes.fromhex(text), np.uint8).astype(np.uint16)
    except ValueError as error:
        raise MisuseError(f"{name}={text!r}, expected bytes in hex.", hint="Such as 02 or 0D 0A.") from error


def _by_codes(value: NDArray[np.uint16], begin: NDArray[np.uint16], end: NDArray[np.uint16]):  # type: ignore[no-untyped-def]
    spans, flags = np.empty((len(value) + 1, 2), np.int64), np.zeros(len(value) + 1, np.int64)
    count = _cut_by_codes(value, begin, end, LONGEST, spans, flags)
    return spans[:count].copy(), flags[:count].copy()


@njit(cache=True, nogil=True)
def _is_here(value, at, code):  # type: ignore[no-untyped-def]
    if at < 0 or at + len(code) > len(value):
        return False
    for i in range(len(code)):
        if value[at + i] != code[i]:
            return False
    return True


@njit(cache=True, nogil=True)
def _cut_by_codes(value, begin, end, longest, spans, flags):  # type: ignore[no-untyped-def]
    """Cut at codes; what lies outside any telegram is a frame of its own, marked as broken."""
    count = 0
    at = 0
    n = len(value)
    while at < n:
        first = at
        opened = len(begin) == 0 or _is_here(value, at, begin)
        place = at + max(len(begin), 1) if opened and len(begin) else at
        closed = False
        while place < n and place - first < longest:
            if len(end) and opened and _is_here(value, place, end):
                place += len(end)
                closed = True
                break
            if len(begin) and place > first and _is_here(value, place, begin):
                break
            place += 1
        place = min(place, n)
        spans[count, 0], spans[count, 1] = first, place
        if not opened:
            flags[count] = F.FRAMING
        elif len(end) and not closed:
            flags[count] = F.CUT_SHORT
        count += 1
        at = place
    return count


def _sentences(value: NDArray[np.uint16]):  # type: ignore[no-untyped-def]
    room = np.empty((len(value) + 1, 6), np.int64)
    count = _find_sentences(value, room)
    rows = room[:count]
    return rows[:, :2].copy(), rows[:, 2:4].copy(), rows[:, 4].copy(), rows[:, 5].copy()


@njit(cache=True, nogil=True)
def _hex_digit(code):  # type: ignore[no-untyped-def]
    if 48 <= code <= 57:
        return code - 48
    if 65 <= code <= 70:
        return code - 55
    if 97 <= code <= 102:
        return code - 87
    return -1


@njit(cache=True, nogil=True)
def _find_sentences(value, room):  # type: ignore[no-untyped-def]
    """Find sentences; rows are first, after last, first and after last of the text, flags, head as bytes."""
    count = 0
    n = len(value)
    at = 0
    while at < n:
        first = at
        if value[at] != 36 and value[at] != 33:
            while at < n and value[at] != 36 and value[at] != 33 and value[at] != 10:
                at += 1
            if at < n and value[at] == 10:
                at += 1
            # a bare line end between sentences is no fault
            blank = True
            for i in range(first, at):
                if value[i] != 10 and value[i] != 13:
                    blank = False
            if not blank:
                room[count, 0], room[count, 1], room[count, 2], room[count, 3] = first, at, first, at
                room[count, 4], room[count, 5] = F.FRAMING, 0
                count += 1
            continue
        at += 1
        check = 0
        head = np.int64(0)
        letters = 0
        in_head = True
        while (
            at < n and value[at] != 42 and value[at] != 10 and value[at] != 13 and value[at] != 36 and at - first < 1024
        ):
            check ^= value[at]
            code = value[at]
            if not (48 <= code <= 57 or 65 <= code <= 90 or 97 <= code <= 122):
                in_head = False
            if in_head and letters < 7:
                head = (head << 8) | np.int64(value[at] & 0xFF)
                letters += 1
            at += 1
        flags = 0
        text_end = at
        if at < n and value[at] == 42:
            if at + 2 < n:
                high, low = _hex_digit(value[at + 1]), _hex_digit(value[at + 2])
                if high < 0 or low < 0 or (high << 4 | low) != check:
                    flags = F.BAD_CHECK
                at += 3
                text_end = at
            else:
                flags = F.CUT_SHORT
                at = n
                text_end = n
        else:
            flags = F.CUT_SHORT
        while at < n and (value[at] == 13 or value[at] == 10):
            at += 1
        room[count, 0], room[count, 1], room[count, 2], room[count, 3] = first, at, first, text_end
        room[count, 4], room[count, 5] = flags, head
        count += 1
    return count
