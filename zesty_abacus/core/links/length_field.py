"""Telegrams that say themselves how long they are, by a number near their beginning."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..lines.result import ByteRun, LineResult
from ..lines.settings import Setting
from .framing import Framing, byte_run_of, bytes_in_spans
from .telegrams import LONGEST

_LARGEST = 1 << 16
_LEAST_TELEGRAMS = 8
_JUDGED_BYTES = 20_000


class LengthFieldFraming(Framing, frozen=True, kw_only=True, tag="length field"):
    """A number near the beginning says how long a telegram is.

    Attributes
    ----------
    begin
        Code that every telegram begins with, in hex; empty for none, then one begins where the other ends.
    place, width
        First byte and bytes of the number.
    low_first
        Whether its low byte comes first.
    adds
        Bytes of a telegram that the number does not count; below zero where it counts more than there is.
    """

    begin: str = ""
    place: int = 0
    width: int = 1
    low_first: bool = False
    adds: int = 1


class _LengthField:
    name = "length field"
    takes = "bytes"
    protocol = "serial"
    settings = LengthFieldFraming
    fields = (
        Setting("begin", "begins with (hex)", "text"), Setting("place", "length at byte", "number"),
        Setting("width", "bytes of the length", "number"), Setting("low_first", "low byte first", "flag"),
        Setting("adds", "not counted", "number", "bytes"),
    )  # fmt: skip

    def apply(self, settings: LengthFieldFraming, result: LineResult) -> LineResult:
        run = byte_run_of(result)
        spans = _spans(run, settings)
        return bytes_in_spans(result, run, spans[:, :2].copy(), spans[:, 2].copy())

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        first = slice(0, _JUDGED_BYTES)
        run = ByteRun(run.start_ns[first], run.end_ns[first], run.value[first], run.flags[first])
        best: tuple[LengthFieldFraming, float] | None = None
        for settings in _candidates(run.value):
            # what the beginning of a recording cuts is no fault of the last one
            spans = _spans(run, settings)[:-1]
            whole = spans[:, 2] == 0
            sizes = spans[whole, 1] - spans[whole, 0]
            if len(spans) < _LEAST_TELEGRAMS or whole.mean() < 0.95 or len(np.unique(sizes)) < 2:
                continue
            score = 0.7 + 0.2 * float(whole.mean())
            if best is None or score > best[1]:
                best = settings, score
        if best is None:
            return None
        settings, score = best
        return settings, score, f"byte {settings.place} says how long each telegram is, all the way through"


FRAMINGS = (_LengthField(),)


def _spans(run: ByteRun, settings: LengthFieldFraming) -> NDArray[np.int64]:
    code = _checked(settings)
    lost = (run.flags & np.uint32(F.LOST_BEFORE)) > 0
    spans = np.empty((len(run) + 1, 3), np.int64)
    place, width, adds = settings.place, settings.width, settings.adds
    return spans[: _walk(run.value, lost, code, place, width, settings.low_first, adds, spans)]


def _checked(settings: LengthFieldFraming) -> NDArray[np.uint16]:
    if not 0 <= settings.place <= 255 or not 1 <= settings.width <= 4:
        raise MisuseError("a length stands within 255 bytes, and has 1 to 4 of them.", where="length field")
    try:
        return np.frombuffer(bytes.fromhex(re.sub(r"\s", "", settings.begin)), np.uint8).astype(np.uint16)
    except ValueError as error:
        raise MisuseError(f"begin={settings.begin!r} is not hex digits.", where="length field") from error


def _candidates(values: NDArray[np.uint16]) -> list[LengthFieldFraming]:
    """Return ways to try; all with a code, for without one every number is a length and nothing speaks against it."""
    begin = f"{int(values[0]):02X}" if len(values) else ""
    return [
        LengthFieldFraming(begin=begin, place=place, width=width, low_first=low, adds=adds)
        for place in range(1, 5) if begin
        for width, low in ((1, False), (2, False), (2, True))
        for adds in sorted({place + width, 0, place + width + 1, place + width + 2})
    ]  # fmt: skip


@njit(cache=True, nogil=True)
def _walk(value, lost, code, place, width, low_first, adds, spans):  # type: ignore[no-untyped-def]
    """Fill spans: first byte, after the last, flags; return how many.

    What does not begin as it should is one span up to where something does; behind a hole all begins anew.
    """
    n = len(value)
    count = at = 0
    while at < n:
        begin = at
        while at < n and not _begins(value, at, code):
            at += 1
        if at > begin:
            spans[count, 0], spans[count, 1], spans[count, 2] = begin, at, F.FRAMING
            count += 1
            continue
        size = _length_at(value, at, place, width, low_first) + adds
        if size < place + width or size > _LARGEST:
            # no length: a code is looked for anew, and without one there is nothing to go on by
            after = at + 1
            while after < n and (len(code) == 0 or not _begins(value, after, code)) and after - at < LONGEST:
                after += 1
            spans[count, 0], spans[count, 1], spans[count, 2] = at, after, F.FRAMING
        else:
            after = min(at + size, n)
            flags = 0 if at + size <= n else F.CUT_SHORT
            for byte in range(at + 1, after):
                if lost[byte]:
                    after, flags = byte, F.CUT_SHORT
                    break
            spans[count, 0], spans[count, 1], spans[count, 2] = at, after, flags
        at = spans[count, 1]
        count += 1
    return count


@njit(cache=True, nogil=True)
def _begins(value, at, code):  # type: ignore[no-untyped-def]
    if at + len(code) > len(value):
        return False
    for n in range(len(code)):
        if value[at + n] != code[n]:
            return False
    return True


@njit(cache=True, nogil=True)
def _length_at(value, at, place, width, low_first):  # type: ignore[no-untyped-def]
    first = at + place
    if first + width > len(value):
        return np.int64(_LARGEST)
    size = np.int64(0)
    for n in range(width):
        byte = np.int64(value[first + (width - 1 - n if low_first else n)])
        size = size << 8 | byte & 255
    return size
