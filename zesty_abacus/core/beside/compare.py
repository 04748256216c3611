"""Several streams beside the first of them: same rate, same values, which lags, which lost frames, where they part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..codec.kinds import decode_frames
from ..compiled import njit
from ..errors import MisuseError
from ..frames.segment_frames import KindFrames
from ..layouts.checks.counter import Counter
from ..layouts.places import bit_name
from ..problems.period import usual_period
from ..progress import Progress
from ..reading.meaning import Meaning
from ..reading.readers import Reader
from ..words import grouped, span_text
from .matching import NOTHING, Matched, Stream, match

_MOST_NAMED = 4


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """One stream beside the first one.

    Attributes
    ----------
    kind
        Number of the kind.
    frames
        How many there are.
    period_ns
        How often they usually come, 0 where they come as they please.
    matched
        Which of its frames are which of the first stream; of the first one itself nothing.
    missing, added : int64
        Frames of the first stream that it lacks, and its frames that the first one lacks, while both are there: times.
    parts_ns : int64 (k,)
        Times of its matched frames that hold something else than those of the first.
    differs
        Names of fields, or places of bits, that differ, most often first, each with in how many frames.
    """

    kind: int
    frames: int
    period_ns: int
    matched: Matched
    missing: NDArray[np.int64]
    added: NDArray[np.int64]
    parts_ns: NDArray[np.int64]
    differs: tuple[tuple[str, int], ...]

    def words(self, first: Side) -> str:
        """Say how it compares with the first stream."""
        if not len(self.matched):
            return "Nothing says which of its frames is which."
        said = [_rate_words(self, first)]
        if not len(self.missing) and not len(self.added):
            said.append("no frame is missing")
        if len(self.missing):
            said.append(f"lacks {grouped(len(self.missing))}")
        if len(self.added):
            said.append(f"has {grouped(len(self.added))} more")
        lag = self.matched.lag_ns
        later = f"{span_text(abs(lag))} {'later' if lag > 0 else 'earlier'}" if lag else "at the same time"
        said.append(f"{later} (matched by {self.matched.by})")
        if not len(self.parts_ns):
            said.append("all that match hold the same")
        else:
            names = ", ".join(f"{name} {grouped(count)} ×" for name, count in self.differs[:_MOST_NAMED])
            said.append(f"{grouped(len(self.parts_ns))} hold something else ({names})")
        return "; ".join(said) + "."


def _rate_words(side: Side, first: Side) -> str:
    if not side.period_ns or not first.period_ns:
        return "comes as it pleases"
    same = abs(side.period_ns - first.period_ns) <= 0.05 * first.period_ns
    return f"{'same rate' if same else 'another rate'}, every {span_text(side.period_ns)}"


def compare(meaning: Meaning, kinds: Sequence[int], progress: Progress | None = None) -> list[Side]:
    """Return some kinds beside the first of them.

    Raises
    ------
    MisuseError
        If there are not two.
    Cancelled
        If the progress was cancelled.
    """
    if len(kinds) < 2:
        raise MisuseError("one message alone is beside nothing.", hint="Name another lane, or another message.")
    progress = progress or Progress()
    sides: list[Side] = []
    reference = _Gathered(meaning, kinds[0])
    for number, kind in enumerate(kinds):
        progress.step(number / len(kinds), "comparing")
        if number == 0:
            none = np.empty(0, np.int64)
            sides.append(Side(kind, len(reference), reference.stream.period_ns, NOTHING, none, none, none, ()))
        else:
            sides.append(_beside(meaning, reference, _Gathered(meaning, kind)))
    return sides


class _Gathered:
    """The frames of a side with what they are matched by."""

    def __init__(self, meaning: Meaning, kind: int) -> None:
        self.kind = kind
        self.frames = meaning.capture.kind_frames(kind)
        self.readers = meaning.kinds[kind].readers
        period = usual_period(self.frames.time_ns)
        counter, wraps = _counter(meaning, self.frames, self.readers[0] if len(self.readers) == 1 else None)
        self.stream = Stream(
            self.frames.time_ns, _hashes(self.frames.matrix, self.frames.sizes), counter, wraps,
            period.ns // period.frames if period is not None else 0,
        )  # fmt: skip

    def __len__(self) -> int:
        return len(self.frames)


def _counter(meaning: Meaning, frames: KindFrames, reader: Reader | None) -> tuple[NDArray[np.int64] | None, int]:
    """Return the numbers of a counter, -1 where they cannot be believed, and how many there are; None without one."""
    if reader is None:
        return None, 1
    found = next((one for one in reader.layout.checks if isinstance(one, Counter) and not one.per), None)
    if found is None:
        return None, 1
    try:
        column = decode_frames(meaning.capture, meaning.plan(reader), frames, [found.field])[found.field]
    except (MisuseError, KeyError):
        return None, 1
    if column.raw is None:
        return None, 1
    width = len(column.field.places) or 62
    return np.where(column.has_value, column.raw.astype(np.int64), -1), found.wraps_at or 1 << min(width, 62)


def _beside(meaning: Meaning, first: _Gathered, other: _Gathered) -> Side:
    matched = match(first.stream, other.stream)
    missing, added = _unmatched(matched, first.frames.time_ns, other.frames.time_ns)
    parts, differs = np.empty(0, np.int64), tuple[tuple[str, int], ...]()
    if len(matched):
        parts, differs = _differences(meaning, first, other, matched)
    period = other.stream.period_ns
    return Side(other.kind, len(other), period, matched, missing, added, parts, differs)


def _unmatched(
    matched: Matched, first: NDArray[np.int64], second: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the times of frames without a partner, only while both streams are there."""
    if not len(matched):
        return np.empty(0, np.int64), np.empty(0, np.int64)
    begin = max(int(first[0]) + matched.lag_ns, int(second[0]))
    end = min(int(first[-1]) + matched.lag_ns, int(second[-1]))
    alone = np.ones(len(first), np.bool_)
    alone[matched.first] = False
    there = (first + matched.lag_ns >= begin) & (first + matched.lag_ns <= end)
    other_alone = np.ones(len(second), np.bool_)
    other_alone[matched.second] = False
    return first[alone & there], second[other_alone & (second >= begin) & (second <= end)]


def _differences(
    meaning: Meaning, first: _Gathered, other: _Gathered, matched: Matched
) -> tuple[NDArray[np.int64], tuple[tuple[str, int], ...]]:
    """Return where matched frames hold something else, and what that is: fields, or bits where no layout is shared."""
    ours, theirs = first.frames.take(matched.first), other.frames.take(matched.second)
    width = max(ours.matrix.shape[1], theirs.matrix.shape[1])
    one, two = (np.pad(side.matrix, ((0, 0), (0, width - side.matrix.shape[1]))) for side in (ours, theirs))
    unlike = one != two
    rows = unlike.any(axis=1) | (ours.sizes != theirs.sizes)
    times = theirs.time_ns[rows]
    if not rows.any():
        return times, ()
    found = _unlike_fields(meaning, first, other, ours, theirs)
    if found is None:
        found = _unlike_bits(one ^ two)
    if count := int(np.count_nonzero(ours.sizes != theirs.sizes)):
        found.append(("size", count))
    return times, tuple(sorted(found, key=lambda pair: -pair[1]))


def _unlike_fields(
    meaning: Meaning, first: _Gathered, other: _Gathered, ours: KindFrames, theirs: KindFrames
) -> list[tuple[str, int]] | None:
    """Return the fields of one name that differ; None where both are not read by one layout each, or share none."""
    if len(first.readers) != 1 or len(other.readers) != 1:
        return None
    try:
        one = decode_frames(meaning.capture, meaning.plan(first.readers[0]), ours)
        two = decode_frames(meaning.capture, meaning.plan(other.readers[0]), theirs)
    except MisuseError:
        return None
    by_name = {column.field.name: column for column in two.columns.values()}
    shared = [(column, by_name[column.field.name]) for column in one.columns.values() if column.field.name in by_name]
    counted = [(ours.field.name, int(np.count_nonzero(_unlike(ours, theirs)))) for ours, theirs in shared]
    return [(name, count) for name, count in counted if count] if shared else None


def _unlike(one: FieldColumn, two: FieldColumn) -> NDArray[np.bool_]:
    differs = one.validity != two.validity
    if one.raw is not None and two.raw is not None:
        return differs | (one.raw != two.raw)
    if one.content is None or two.content is None or one.content.shape[1] != two.content.shape[1]:
        return differs
    return differs | (one.content != two.content).any(axis=1)


def _unlike_bits(exclusive: NDArray[np.uint8]) -> list[tuple[str, int]]:
    found = []
    for byte in range(exclusive.shape[1]):
        for bit in range(7, -1, -1):
            if count := int(np.count_nonzero(exclusive[:, byte] & np.uint8(1 << bit))):
                found.append((bit_name(byte * 8 + bit), count))
    return found


def _hashes(matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> NDArray[np.uint64]:
    return _hash(matrix, sizes)


@njit(cache=True, nogil=True)
def _hash(matrix, sizes):  # type: ignore[no-untyped-def]
    """FNV-1a of 64 bits over each payload."""
    found = np.empty(len(matrix), np.uint64)
    for row in range(len(matrix)):
        value = np.uint64(0xCBF29CE484222325)
        for i in range(sizes[row]):
            value = (value ^ np.uint64(matrix[row, i])) * np.uint64(0x100000001B3)
        found[row] = value
    return found
