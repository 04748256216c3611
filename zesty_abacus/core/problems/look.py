"""Looks a whole capture through for what is wrong, kind by kind on all processors; what did not change is kept."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from ..ahead import as_done
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.stretches import stretches_of
from ..layouts.checks.pair import Pair
from ..pairing.exchanges import response_times, unanswered_rows
from ..progress import Progress
from ..reading.meaning import Meaning
from ..reading.readers import KindMeaning, Reader
from . import answers, checks, load, presence, senders, sizes, timing, unknown, wire
from .checks import Disagreeing
from .counting import Losses
from .limits import Limits
from .problem import Problem, ranked
from .seen import KindSeen
from .values import OutsideLimits, Stuck, Unavailable
from .watch import Watch

WATCHES: tuple[type[Watch], ...] = (Disagreeing, Losses, OutsideLimits, Stuck, Unavailable)
"""What looks at the values of whoever reads a kind."""


@dataclass(frozen=True, slots=True, eq=False)
class _Done:
    """What was found in a kind, or a lane as a whole, and what it was found by."""

    means: KindMeaning | None
    has_layouts: bool
    limits: Limits
    problems: tuple[Problem, ...]

    def holds_for(self, means: KindMeaning | None, has_layouts: bool, limits: Limits) -> bool:
        """Return whether nothing has changed that it was found by."""
        return self.means is means and self.has_layouts == has_layouts and self.limits == limits


@dataclass(frozen=True, slots=True, eq=False)
class _Waits:
    """What was found of requests and answers; which belong together may depend on any layout."""

    by_links: bool
    limits: Limits
    problems: tuple[Problem, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Found:
    """All problems of a capture.

    Attributes
    ----------
    capture
    problems
        In the order in which to read them.
    """

    capture: Capture
    problems: list[Problem]
    _done: dict[tuple[str, int], _Done] = field(default_factory=dict)
    _waits: _Waits | None = None


def look_for_problems(
    meaning: Meaning, limits: Limits | None = None, progress: Progress | None = None, before: Found | None = None
) -> Found:
    """Return what is wrong in a capture.

    Parameters
    ----------
    limits
        Those of the trial.
    before
        What was found before; kinds of the same capture that mean the same are not looked through again.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    limits, progress = limits or Limits(), progress or Progress()
    capture = meaning.capture
    if before is not None and before.capture is not capture:
        before = None
    waits = _waits(meaning, limits, before, progress)
    done: dict[tuple[str, int], _Done] = {}
    again: list[_Piece] = []
    for piece in _pieces(meaning, limits):
        known = before._done.get(piece.place) if before is not None else None
        if known is not None and known.holds_for(piece.means, bool(meaning.layouts), piece.limits):
            done[piece.place] = known
        else:
            again.append(piece)
    # the largest first, so that no processor is left with one at the end
    again.sort(key=lambda piece: -piece.frames)
    spans = [_lane_spans(capture, lane) for lane in range(len(capture.lanes))] if again else []
    total, frames = max(sum(piece.frames for piece in again), 1), 0

    def look(piece: _Piece) -> tuple[_Piece, tuple[Problem, ...]]:
        quiet = progress.quiet()
        if piece.means is None:
            return piece, tuple(load.problems(capture, piece.place[1], piece.limits, quiet))
        lane = capture.kinds.keys[piece.place[1]].lane
        seen = KindSeen(meaning, piece.place[1], spans[lane], piece.limits)
        return piece, tuple(_problems_of(seen, quiet))

    for piece, found in as_done(again, look):
        done[piece.place] = _Done(piece.means, bool(meaning.layouts), piece.limits, found)
        frames += piece.frames
        progress.step(frames / total, "looking for problems")
    # in order of lanes and kinds, since of what weighs the same whichever was looked through first would stand first
    everything = [problem for place in sorted(done) for problem in done[place].problems]
    return Found(capture, ranked([*everything, *waits.problems]), done, waits)


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """What is looked through at a time: a kind, or a lane as a whole, which means nothing by itself."""

    place: tuple[str, int]
    means: KindMeaning | None
    limits: Limits
    frames: int


def _pieces(meaning: Meaning, limits: Limits) -> Iterator[_Piece]:
    capture = meaning.capture
    for number, lane in enumerate(capture.lanes):
        frames = len(capture.order_of_lanes(frozenset([number]))) if lane.bit_rate else 0
        yield _Piece(("lane", number), None, limits.about(lane.name, None, None), frames)
    for kind, key in enumerate(capture.kinds.keys):
        own = limits.about(capture.lanes[key.lane].name, key.address, key.flags)
        yield _Piece(("kind", kind), meaning.kinds[kind], own, capture.kinds.count(kind))


def _problems_of(seen: KindSeen, progress: Progress) -> Iterator[Problem]:
    """Yield the problems of one kind by itself."""
    yield from wire.problems(seen)
    yield from checks.problems(seen)
    yield from unknown.problems(seen)
    if seen.key.flags & F.ERROR:
        return
    watches = _watch(seen, progress)
    losses = [watch for one in watches for watch in one if isinstance(watch, Losses)]
    counters = (watch.counted(counter) for watch in losses for counter in watch.counters)
    # before distances are measured: those to frames of a second sender say nothing
    yield from senders.problems(seen, (counted for counted in counters if counted is not None))
    for one in watches:
        for watch in one:
            yield from watch.problems(seen)
    yield from timing.problems(seen)
    yield from presence.problems(seen)
    yield from sizes.problems(seen)


def _watch(seen: KindSeen, progress: Progress) -> list[list[Watch]]:
    """Let everything that looks at values see all frames of a kind; return it by reader."""
    watches: dict[Reader, list[Watch]] = {}
    try:
        for reader, places, _frames, decoded in seen.decoded(progress):
            if reader not in watches:
                watches[reader] = [watch(reader.shown) for watch in WATCHES]
            for watch in watches[reader]:
                watch.add(places, decoded)
    except MisuseError:
        # a layout that cannot read anything is told on its own desk, and by the check of the library
        return []
    return list(watches.values())


def _waits(meaning: Meaning, limits: Limits, before: Found | None, progress: Progress) -> _Waits:
    """Return what is wrong between requests and answers; looked for again wherever layouts have a say in it."""
    capture = meaning.capture
    by_links = not any(isinstance(check, Pair) for layout in meaning.layouts.values() for check in layout.checks)
    known = before._waits if before is not None else None
    if known is not None and known.by_links and by_links and known.limits == limits:
        return known
    if by_links and not any(key.flags & F.ANSWER for key in capture.kinds.keys):
        return _Waits(by_links, limits, ())
    took, unanswered = response_times(meaning, progress), unanswered_rows(meaning, progress)
    kinds = np.unique(capture.kinds_of(np.concatenate([np.flatnonzero(took >= 0), unanswered])))
    found: list[Problem] = []
    for kind in [*kinds.tolist(), *_late_kinds(meaning, set(kinds.tolist()))]:
        key = capture.kinds.keys[kind]
        own = limits.about(capture.lanes[key.lane].name, key.address, key.flags)
        found += answers.problems(KindSeen(meaning, kind, [], own), took, unanswered)
    return _Waits(by_links, limits, tuple(found))


def _late_kinds(meaning: Meaning, known: set[int]) -> Iterator[int]:
    """Yield the answers without a request: that they are late is said by the link."""
    for kind, key in enumerate(meaning.capture.kinds.keys):
        if key.flags & F.ANSWER and kind not in known:
            yield kind


def _lane_spans(capture: Capture, lane: int) -> list[tuple[int, int]]:
    return stretches_of(capture.order_of_lanes(frozenset([lane])).spans())
