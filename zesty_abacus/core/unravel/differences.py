"""What tells stretches of a recording, or several recordings, apart: bits, and messages that come, go or hurry."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from ..frames.segment_frames import KindFrames
from ..layouts.places import Places
from ..progress import Progress
from ..reading.meaning import Meaning
from ..words import grouped, span_text
from .finding import Finding, Said
from .named import name_of
from .words import count_of

_LEAST_FRAMES = 3
_MOST_FRAMES = 100_000
_OTHER_PERIOD = 1.5
"""By which factor the usual distance of frames differs where a message hurries or takes its time."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Frames that are compared with others: those of a time, or of some rows of the capture.

    Attributes
    ----------
    name
    first_ns, last_ns
        Both included; None for any time.
    first_row, end_row
        The first row, and the one behind the last; None for any.
    """

    name: str
    first_ns: int | None = None
    last_ns: int | None = None
    first_row: int | None = None
    end_row: int | None = None

    def holds(self, rows: NDArray[np.uint32], time_ns: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Return which frames are of it, by their rows and times; bool (n,)."""
        found = np.ones(len(rows), np.bool_)
        if self.first_ns is not None:
            found &= time_ns >= self.first_ns
        if self.last_ns is not None:
            found &= time_ns <= self.last_ns
        if self.first_row is not None:
            found &= rows >= self.first_row
        if self.end_row is not None:
            found &= rows < self.end_row
        return found


@dataclass(frozen=True, slots=True, eq=False)
class _Seen:
    """The frames of a kind in a stretch."""

    name: str
    frames: KindFrames


def differences(
    meaning: Meaning, stretches: Sequence[Stretch], progress: Progress | None = None
) -> list[tuple[int, Finding]]:
    """Return what tells stretches apart, with the kinds it is found in; the likeliest first.

    Bits that are the same all through each stretch, and not in all of them alike; messages that are there in some only,
    or come at another period.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress, capture = progress or Progress(), meaning.capture
    found = []
    kinds = [kind for kind, key in enumerate(capture.kinds.keys) if key.is_data]
    lanes_seen = _lanes_seen(meaning, stretches)
    for number, kind in enumerate(kinds):
        progress.step(number / max(len(kinds), 1), "comparing")
        lane = capture.kinds.keys[kind].lane
        frames = capture.frames.gather(_thinned(capture.order_of_kind(kind).rows()))
        seen = [_part(frames, one) for one in stretches if lane in lanes_seen[one.name]]
        if len(seen) < 2:
            continue
        found += [(kind, said.of(*name_of(meaning, kind))) for said in _compared(seen)]
    return sorted(found, key=lambda pair: -pair[1].confidence)


def _thinned(rows: NDArray[np.uint32]) -> NDArray[np.uint32]:
    return rows[:: max(len(rows) // _MOST_FRAMES, 1)]


def _lanes_seen(meaning: Meaning, stretches: Sequence[Stretch]) -> dict[str, set[int]]:
    """Return the lanes of which a stretch has any frames: of others nothing is said to have gone."""
    capture = meaning.capture
    seen: dict[str, set[int]] = {one.name: set() for one in stretches}
    for kind, key in enumerate(capture.kinds.keys):
        for one in stretches:
            if key.lane not in seen[one.name]:
                rows = _thinned(capture.order_of_kind(kind).rows())
                if one.holds(rows, capture.frames.times(rows)).any():
                    seen[one.name].add(key.lane)
    return seen


def _part(frames: KindFrames, stretch: Stretch) -> _Seen:
    return _Seen(stretch.name, frames.take(np.flatnonzero(stretch.holds(frames.rows, frames.time_ns))))


def _compared(seen: Sequence[_Seen]) -> Iterator[Said]:
    there = [one for one in seen if len(one.frames) >= _LEAST_FRAMES]
    if not there:
        return
    gone = [one for one in seen if not len(one.frames)]
    if gone:
        yield _comes(there, gone)
    if len(there) < 2:
        return
    yield from _paced(there)
    yield from _unlike(there)


def _comes(there: Sequence[_Seen], gone: Sequence[_Seen]) -> Said:
    frames = sum(len(one.frames) for one in there)
    names, others = " and ".join(one.name for one in there), " and ".join(one.name for one in gone)
    return Said(
        kind="difference", bits=(), frames=frames, confidence=0.9 if frames >= 10 else 0.6,
        parameters={"frames": {one.name: len(one.frames) for one in (*there, *gone)}},
        reason=f"It comes {grouped(frames)} times in {names}, and not at all in {others}.",
    )  # fmt: skip


def _paced(there: Sequence[_Seen]) -> Iterator[Said]:
    usual = {one.name: float(np.median(np.diff(one.frames.time_ns))) for one in there}
    least, most = min(usual.values()), max(usual.values())
    if least <= 0 or most < _OTHER_PERIOD * least:
        return
    words = ", ".join(f"{span_text(period)} in {name}" for name, period in usual.items())
    frames = sum(len(one.frames) for one in there)
    yield Said(
        kind="difference", bits=(), frames=frames, confidence=0.85 if frames >= 20 else 0.5,
        parameters={"seconds": {name: period / 1e9 for name, period in usual.items()}},
        reason=f"From frame to frame it usually takes {words}.",
    )  # fmt: skip


def _unlike(there: Sequence[_Seen]) -> Iterator[Said]:
    size = min(int(one.frames.sizes.min()) for one in there)
    bits = [np.unpackbits(one.frames.matrix[:, :size], axis=1, bitorder="little") for one in there]
    if not size:
        return
    still = np.logical_and.reduce([(one == one[:1]).all(axis=0) for one in bits])
    first = np.stack([one[0] for one in bits])
    unlike = still & (first != first[:1]).any(axis=0)
    frames = sum(len(one.frames) for one in there)
    for run in _runs(np.flatnonzero(unlike).tolist()):
        values = {one.name: [Places(run).raw_in(one.frames.matrix[0].tobytes())] for one in there}
        # the upper bits of a number that moves below them differ between any two stretches
        is_number = run[-1] > 0 and not still[run[-1] - 1]
        counts = ", ".join(f"{values[one.name][0]} in all {count_of(len(one.frames), 'frame')} of {one.name}"
                           for one in there)  # fmt: skip
        yield Said(
            kind="difference", bits=run, frames=frames, parameters={"values": values}, reason=f"It is {counts}.",
            confidence=_confidence(min(len(one.frames) for one in there)) * (0.6 if is_number else 1.0),
        )  # fmt: skip


def _confidence(frames: int) -> float:
    """Return how sure it is that bits are the same all through stretches of which the shortest has so many frames."""
    return float(np.clip(0.95 - 1.5 / (frames + 2), 0.3, 0.95))


def _runs(bits: list[int]) -> Iterator[tuple[int, ...]]:
    """Yield neighbours within a byte, the most significant first."""
    for _, group in groupby(enumerate(bits), lambda pair: (pair[1] - pair[0], pair[1] // 8)):
        yield tuple(bit for _, bit in group)[::-1]
