"""LIN frames out of the bytes of a line (ISO 17987-3): break, 0x55, protected identifier, response, checksum.

The two highest bits of the identifier's byte are its parity. The checksum is the inverted sum with carry, over the
response alone (*classic*) or over the identifier's byte as well (*enhanced*); from 0x3C on it is always classic.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..lines.result import ADDRESS, CHECK, SYNC, ByteRun, LineResult, Marks
from ..lines.settings import Setting
from ..words import grouped
from .framing import Framing, byte_run_of, bytes_in_spans

_SYNC = 0x55
_HEAD = 3
"""Break, sync and identifier."""
_MOST_DATA = 8
_ALWAYS_CLASSIC = 0x3C
_LEAST_FRAMES = 4


class LinFraming(Framing, frozen=True, kw_only=True, tag="lin"):
    """Which checksum frames have; None takes the one that agrees more often."""

    checksum: str | None = None


class _Lin:
    name = "LIN"
    takes = "bytes"
    protocol = "lin"
    settings = LinFraming
    fields = (
        Setting(
            "checksum", "checksum", "choice", measured=True,
            choices=(("classic", "classic: data alone"), ("enhanced", "enhanced: identifier too")),
        ),
    )  # fmt: skip

    def apply(self, settings: LinFraming, result: LineResult) -> LineResult:
        """Make a frame of each break; without a response it is unanswered, and what has a wrong form is flagged."""
        run = byte_run_of(result)
        spans = _spans(run)
        classic, enhanced = _agreeing(run, spans)
        good = classic if _takes_classic(settings, classic, enhanced) else enhanced
        good = np.where(_identifiers(run, spans) >= _ALWAYS_CLASSIC, classic, good)
        sizes = spans[:, 1] - spans[:, 0]
        flags = np.where(sizes <= _HEAD, F.UNANSWERED, np.where(good, 0, F.BAD_CHECK)).astype(np.int64)
        flags |= np.where(_has_parity(run, spans), 0, F.PARITY) | np.where(_has_sync(run, spans), 0, F.FRAMING)
        kept = np.stack(
            [np.minimum(spans[:, 0] + _HEAD, spans[:, 1]), np.maximum(spans[:, 1] - 1, spans[:, 0])], axis=1
        )
        kept[:, 1] = np.maximum(kept[:, 0], kept[:, 1])
        quiet = ByteRun(run.start_ns, run.end_ns, run.value, run.flags & ~np.uint32(F.BREAK))
        made = bytes_in_spans(result, quiet, spans, flags, _identifiers(run, spans), kept)
        return _marked(made, spans)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        spans = _spans(run)
        headed = spans[_has_sync(run, spans) & _has_parity(run, spans)]
        answered = headed[headed[:, 1] - headed[:, 0] > _HEAD]
        if len(headed) < _LEAST_FRAMES or not len(answered) or len(headed) < 0.8 * len(spans):
            return None
        classic, enhanced = _agreeing(run, answered)
        agree = int(max((classic | enhanced).sum(), 0))
        share = agree / len(answered)
        begin = f"{grouped(len(headed))} frames begin with a break and a protected identifier"
        return LinFraming(), 0.5 + 0.5 * share, f"{begin}, {grouped(agree)} of {grouped(len(answered))} checksums agree"


FRAMINGS = (_Lin(),)


def _spans(run: ByteRun) -> NDArray[np.int64]:
    """Return the bytes from each break to the next, of at most a head, eight bytes and their checksum; int64 (m, 2)."""
    breaks = np.flatnonzero(run.flags & F.BREAK > 0)
    ends = np.append(breaks[1:], len(run)) if len(breaks) else breaks
    return np.stack([breaks, np.minimum(ends, breaks + _HEAD + _MOST_DATA + 1)], axis=1).astype(np.int64)


def _byte_at(run: ByteRun, spans: NDArray[np.int64], place: int) -> NDArray[np.int64]:
    """Return a byte of each frame, -1 where it ends before."""
    at = spans[:, 0] + place
    there = at < spans[:, 1]
    values = np.full(len(spans), -1, np.int64)
    values[there] = run.value[at[there]]
    return values


def _has_sync(run: ByteRun, spans: NDArray[np.int64]) -> NDArray[np.bool_]:
    return np.asarray(_byte_at(run, spans, 1) == _SYNC)


def _identifiers(run: ByteRun, spans: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.maximum(_byte_at(run, spans, 2), 0) & 0x3F


def _has_parity(run: ByteRun, spans: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return where both parity bits agree: of bits 0, 1, 2, 4, and of bits 1, 3, 4, 5 the other way round."""
    head = _byte_at(run, spans, 2)
    bit = [head >> n & 1 for n in range(8)]
    first = bit[0] ^ bit[1] ^ bit[2] ^ bit[4]
    second = 1 ^ bit[1] ^ bit[3] ^ bit[4] ^ bit[5]
    return np.asarray((head >= 0) & (bit[6] == first) & (bit[7] == second))


def _agreeing(run: ByteRun, spans: NDArray[np.int64]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Return where the last byte is the classic checksum, and where it is the enhanced one."""
    sums = np.concatenate([[0], np.cumsum(run.value.astype(np.int64))])
    last = np.maximum(spans[:, 1] - 1, spans[:, 0])
    begin = np.minimum(spans[:, 0] + _HEAD, last)
    data = sums[last] - sums[begin]
    there = spans[:, 1] - spans[:, 0] > _HEAD
    sent = run.value[last].astype(np.int64) if len(run) else last
    head = np.maximum(_byte_at(run, spans, 2), 0)
    return there & (_inverted(data) == sent), there & (_inverted(data + head) == sent)


def _inverted(total: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the inverted eight-bit sum with the carry added, of a plain sum."""
    return 0xFF - np.where(total > 0, (total - 1) % 0xFF + 1, 0)


def _takes_classic(settings: LinFraming, classic: NDArray[np.bool_], enhanced: NDArray[np.bool_]) -> bool:
    if settings.checksum is None:
        return int(classic.sum()) > int(enhanced.sum())
    return settings.checksum == "classic"


def _marked(result: LineResult, spans: NDArray[np.int64]) -> LineResult:
    """Say which bytes are sync, identifier and checksum."""
    rows = result.marks.rows.copy()
    sizes = spans[:, 1] - spans[:, 0]
    for place, kind in ((1, SYNC), (2, ADDRESS)):
        rows[spans[sizes > place, 0] + place, 2] = kind
    rows[spans[sizes > _HEAD, 1] - 1, 2] = CHECK
    return LineResult(result.frames, result.ends_ns, Marks(rows), result.byte_run, result.bit_run, result.facts)
