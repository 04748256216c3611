"""Which messages answer which: as links say of requests and what came back, else as times and repeated bytes say."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import Places, format_places
from ...progress import Progress
from ...words import span_text
from ..finding import Said
from ..words import count_of, share_words
from .question import Answer, KindView, Question, View
from .transactions import Numbered, numbered

_LEAST_PAIRS = 3
_LEAST_ASKED, _MOST_ASKED = 6, 50_000
_MOST_REGULAR = 0.5
_LEAST_ANSWERED = 0.9
_MOST_OF_GAP = 0.25
"""Part of the time between two requests within which an answer usually comes."""


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield for each message that asks the one that answers it."""
    yield from _linked(view, progress)
    irregular = [kind for kind in view.kinds if _is_irregular(kind)]
    for asks in irregular:
        progress.check()
        tied = [(other, number) for other in irregular if (number := _numbered(asks, other)) is not None]
        if tied:
            # a number says it more surely than times do, and also of what overlaps
            yield asks, _said_by_number(asks, *max(tied, key=lambda pair: pair[1].frames))
            continue
        answers = [(other, one) for other in irregular if (one := _answered(asks, other)) is not None]
        if answers:
            other, one = min(answers, key=lambda pair: pair[1].median_ns)
            yield asks, _said(asks, other, one)


def _linked(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield what a link says: its frames tell requests from answers, and one answers the other."""
    found = view.exchanges(progress)
    if found is None or not len(found):
        return
    views = {kind.kind: kind for kind in view.kinds}
    capture = found.capture
    asking = capture.kinds_of(found.request)
    known = found.answer >= 0
    answering = np.full(len(found), -1, np.int32)
    answering[known] = capture.kinds_of(found.answer[known])
    for kind in np.unique(asking).tolist():
        progress.check()
        own = asking == kind
        others, counts = np.unique(answering[own & known], return_counts=True)
        for other, count in zip(others.tolist(), counts.tolist(), strict=True):
            if count < _LEAST_PAIRS or other == kind or kind not in views or other not in views:
                continue
            took = found.took_ns[own & (answering == other)]
            missing = int((own & (found.answer == -1)).sum())
            total = count + missing
            of = views[other]
            requests = share_words(count, total, "request").capitalize()
            usual = float(np.median(took))
            later = f"usually {span_text(usual)} later" if usual else "at the same time"
            reason = f"{requests} got {of.message or hex(of.address)} back, {later}."
            yield views[kind], Said(
                kind="pair", bits=(), frames=count, against=missing, confidence=0.95 * count / total, reason=reason,
                parameters={
                    "with": of.named(), "by": "address", "median_s": float(np.median(took)) / 1e9, "missing": missing,
                },
            )  # fmt: skip


def _is_irregular(kind: KindView) -> bool:
    """Return whether a message comes when somebody wants it to: what comes by the clock follows everything."""
    gaps = np.diff(kind.time_ns)
    if not _LEAST_ASKED <= len(gaps) <= _MOST_ASKED or len(kind.thin) < _LEAST_ASKED:
        return False
    usual = float(np.median(gaps))
    return bool(usual > 0 and np.mean(np.abs(gaps - usual) < 0.2 * usual) < _MOST_REGULAR)


def _numbered(asks: KindView, other: KindView) -> Numbered | None:
    return numbered(asks, other) if other is not asks and other.lane == asks.lane else None


def _said_by_number(asks: KindView, other: KindView, one: Numbered) -> Said:
    places, others = (format_places(Places(bits)) for bits in (one.request, one.answer))
    turns = f", {count_of(one.out_of_turn, 'time')} behind that of a later one" if one.out_of_turn else ""
    reason = (
        f"{share_words(one.frames, one.asked, 'frame').capitalize()} with one of {count_of(one.numbers, 'number')} in "
        f"{places} are followed by {other.message or hex(other.address)} with the same number in {others}, usually "
        f"{span_text(one.median_ns)} later{turns}."
    )
    return Said(
        kind="pair", bits=(), frames=one.frames, against=one.asked - one.frames, reason=reason,
        confidence=0.97 * one.frames / one.asked,
        parameters={
            "with": other.named(), "by": {"places": places, "with_places": others},
            "median_s": one.median_ns / 1e9, "missing": one.asked - one.frames,
        },
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Answered:
    """How one message follows another."""

    frames: int
    asked: int
    median_ns: float
    echoes: int


def _answered(asks: KindView, other: KindView) -> _Answered | None:
    """Return how a message follows each frame of another before the next one, None if it does not."""
    if other is asks or other.lane != asks.lane:
        return None
    request, answer = asks.thin.time_ns, other.thin.time_ns
    if not 0.8 * len(request) <= len(answer) <= 1.25 * len(request):
        return None
    place = np.searchsorted(answer, request, side="right")
    there = place < len(answer)
    took = np.where(there, answer[np.minimum(place, len(answer) - 1)] - request, np.iinfo(np.int64).max)
    until = np.append(np.diff(request), np.iinfo(np.int64).max)
    came = there & (took < until)
    usual = float(np.median(took[came])) if came.any() else np.inf
    # what merely comes as often comes anywhere between two frames
    soon = came & (took <= 5 * usual + 1_000_000)
    if soon.mean() < _LEAST_ANSWERED or usual > _MOST_OF_GAP * float(np.median(np.diff(request))):
        return None
    return _Answered(int(soon.sum()), len(request), usual, _echoes(asks, other, np.flatnonzero(soon), place))


def _echoes(asks: KindView, other: KindView, rows: NDArray[np.int64], place: NDArray[np.int64]) -> int:
    """Return how many bytes that change from request to request come back in the answer, where they stood."""
    size = min(asks.thin.size, other.thin.size)
    request, answer = asks.thin.matrix[rows, :size], other.thin.matrix[place[rows], :size]
    changes = np.array([len(np.unique(request[:, byte])) >= _LEAST_PAIRS for byte in range(size)])
    return int(((request == answer).mean(axis=0) >= _LEAST_ANSWERED)[changes].sum())


def _said(asks: KindView, other: KindView, one: _Answered) -> Said:
    missing = one.asked - one.frames
    back = f", and {count_of(one.echoes, 'byte')} of it come back" if one.echoes else ""
    reason = (
        f"After {share_words(one.frames, one.asked, 'frame')} comes {other.message or hex(other.address)} before the "
        f"next one, usually {span_text(one.median_ns)} later{back}."
    )
    return Said(
        kind="pair", bits=(), frames=one.frames, against=missing, reason=reason,
        confidence=(0.9 if one.echoes else 0.75) * one.frames / one.asked,
        parameters={
            "with": other.named(), "by": "echo" if one.echoes else "time", "median_s": one.median_ns / 1e9,
            "missing": missing,
        },
    )  # fmt: skip


QUESTION = Question("what answers what", frozenset({"pair"}), ask)
