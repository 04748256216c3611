"""What tells stretches of a recording, or several recordings, apart: bits, and messages that come, go or hurry."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from ..frames.flags import flag_words
from ..frames.segment_frames import KindFrames
from ..progress import Progress
from ..reading.meaning import Meaning
from ..words import grouped, span_text
from .finding import Finding, Said
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

    def holds(self, frames: KindFrames) -> NDArray[np.bool_]:
        """Return which frames are of it; bool (n,)."""
        found = np.ones(len(frames), np.bool_)
        if self.first_ns is not None:
            found &= frames.time_ns >= self.first_ns
        if self.last_ns is not None:
            found &= frames.time_ns <= self.last_ns
        if self.first_row is not None:
            found &= frames.rows >= self.first_row
        if self.end_row is not None:
            found &= frames.rows < self.end_row
        return found


@dataclass(frozen=True, slots=True, eq=False)
class _Seen:
    """The frames of a kind in a stretch."""

    name: str
    frames: KindFrames
    span_ns: int


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
        key = capture.kinds.keys[kind]
        frames = capture.frames.gather(_thinned(capture.order_of_kind(kind).rows()))
        seen = [_part(frames, one) for one in stretches if key.lane in lanes_seen[one.name]]
        if len(seen) < 2:
            continue
        readers = meaning.kinds[kind].readers
        name = readers[0].layout.name if readers else ""
        for said in _compared(seen):
            found.append((kind, said.of(capture.lanes[key.lane].name, key.address, flag_words(key.flags), name)))
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
                frames = capture.frames.gather(_thinned(capture.order_of_kind(kind).rows()))
                if one.holds(frames).any():
                    seen[one.name].add(key.lane)
    return seen


def _part(frames: KindFrames, stretch: Stretch) -> _Seen:
    own = frames.take(np.flatnonzero(stretch.holds(frames)))
    span = int(own.time_ns.max() - own.time_ns.min()) if len(own) else 0
    return _Seen(stretch.name, own, span)


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
    moves_beside = ~np.logical_and.reduce([(one == one[:1]).all(axis=0) for one in bits])
    frames = sum(len(one.frames) for one in there)
    for run in _runs(np.flatnonzero(unlike).tolist()):
        values = {one.name: [_raw(own[0], run)] for one, own in zip(there, bits, strict=True)}
        # the upper bits of a number that moves below them differ between any two stretches
        is_number = any(0 <= near < size * 8 and moves_beside[near] for near in (run[-1] - 1,))
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


def _raw(bits: NDArray[np.uint8], run: tuple[int, ...]) -> int:
    raw = 0
    for bit in run:
        raw = raw << 1 | int(bits[bit])
    return raw
