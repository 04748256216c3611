"""Which bits answer an action, and hardly ever move otherwise."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray
from scipy.special import bdtrc

from ...progress import Progress
from ...words import span_text
from ..finding import Said
from ..words import count_of, share_words
from .question import Answer, KindView, Question, View

_WINDOW_NS = 2_500_000_000
_MOST_WINDOW_NS = 5_000_000_000
"""A message that comes more seldom than that cannot be said to answer."""
_LEAST_SHARE = 0.75
_MOST_SPREAD_NS = 400_000_000
_LEAST_SURE = 5e-2
"""How many fields may be expected to answer as well by chance."""
_MOST_ONCE = 0.01
"""How likely a change may come that soon by chance, where something was done once only."""
_SAME_VALUE = 0.75
"""Of the answers, how many must lead to one value for it to be what the action sets."""


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield what answers each action."""
    texts = sorted({one.text for one in view.actions})
    if not texts:
        return
    fields = [
        (kind, one) for kind in view.kinds for one in kind.fields() if one.parameters["reading"] in ("flag", "names")
    ]
    for text in texts:
        times = np.array(sorted(one.time_ns for one in view.actions if one.text == text), np.int64)
        for kind, one in fields:
            progress.check()
            found = _reaction(view, kind, one, text, times, len(fields))
            if found is not None:
                yield kind, found
            else:
                yield from ((kind, bit) for bit in _single_bits(view, kind, one, text, times, len(fields)))


def _single_bits(
    view: View, kind: KindView, one: Said, text: str, times: NDArray[np.int64], asked: int
) -> Iterator[Said]:
    """Yield the bits of a state that answer by themselves: a switch beside a state may have been taken for its bit."""
    for bit in one.bits if len(one.bits) > 1 else ():
        alone = _reaction(view, kind, replace(one, bits=(bit,)), text, times, asked * len(one.bits))
        if alone is not None and alone.frames > 1:
            yield alone


@dataclass(frozen=True, slots=True)
class _Answers:
    """Which changes of a field come as long after an action as most do.

    Attributes
    ----------
    hits, asked
        Actions that are answered, of how many that could be.
    others
        Changes that nothing was done for.
    changes
        All of them.
    usual_ns, spread_ns
        How long after, give or take.
    values : int64 (hits,)
        Raw values after an answer.
    """

    hits: int
    asked: int
    others: int
    changes: int
    usual_ns: float
    spread_ns: int
    values: NDArray[np.int64]


def _reaction(view: View, kind: KindView, one: Said, text: str, times: NDArray[np.int64], asked: int) -> Said | None:
    raw, at = kind.thin.raw(one.bits), kind.thin.time_ns
    moved = np.flatnonzero(raw[1:] != raw[:-1]) + 1
    if not len(moved) or len(at) < 3:
        return None
    answers = _answers(at, raw, moved, times)
    if answers is None:
        return None
    values, counts = np.unique(answers.values, return_counts=True)
    value = int(values[counts.argmax()])
    does = "changes"
    if counts.max() >= _SAME_VALUE * answers.hits:
        does = f"becomes {value},"
        # it is set by the action, and goes back by another one or by itself: only how it comes to be set is asked
        entering = _answers(at, raw, moved[raw[moved] == value], times)
        answers = answers if entering is None else entering
    hits, others = answers.hits, answers.others
    if hits < max(_LEAST_SHARE * answers.asked, 1) or others > 0.5 * hits + 1:
        return None
    span = max(view.span_ns[1] - view.span_ns[0], 1)
    by_chance = min(1 - np.exp(-answers.changes * 2 * answers.spread_ns / span), 1.0)
    chance = float(bdtrc(hits - 1, answers.asked, by_chance)) * asked
    if hits == 1 and (others or answers.changes * answers.usual_ns > _MOST_ONCE * span):
        return None
    if hits > 1 and chance > _LEAST_SURE:
        return None
    confidence = float(np.clip(0.97 - chance * 3, 0.5, 0.97)) if hits > 1 else 0.5
    moments = share_words(hits, answers.asked, "moment")
    besides = count_of(others, "time") if others else "never"
    reason = f"It {does} {span_text(round(answers.usual_ns))} after {moments} “{text}”, and {besides} otherwise."
    return Said(
        kind="reaction", bits=one.bits, frames=hits, against=answers.asked - hits, confidence=confidence,
        reason=reason, parameters={"moment": text, "delay_s": answers.usual_ns / 1e9, "value": value},
    )  # fmt: skip


def _answers(
    at: NDArray[np.int64], raw: NDArray[np.int64], moved: NDArray[np.int64], times: NDArray[np.int64]
) -> _Answers | None:
    changes = at[moved]
    inside = _could_be_seen(at, times)
    if not len(inside):
        return None
    window = min(_WINDOW_NS + int(np.median(np.diff(at))), _MOST_WINDOW_NS)
    place = np.searchsorted(changes, inside)
    follows = place < len(changes)
    delay = np.where(follows, changes[np.minimum(place, len(changes) - 1)] - inside, np.iinfo(np.int64).max)
    # the usual delay tells an answer from a change that merely came soon after
    near = delay[delay <= window]
    if not len(near):
        return None
    usual = float(np.median(near))
    spread = max(_MOST_SPREAD_NS, int(1.2 * np.median(np.diff(at))))
    is_answer = np.abs(np.where(delay <= window, delay, 1 << 60) - usual) <= spread
    if not is_answer.any():
        # half of them come early and half late: there is no usual delay
        return None
    answering = np.unique(place[is_answer])
    values = raw[moved[answering]]
    hits = int(is_answer.sum())
    return _Answers(hits, len(inside), len(changes) - len(answering), len(changes), usual, spread, values)


def _could_be_seen(at: NDArray[np.int64], times: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the moments whose answer frames at some times could show.

    Before the first frame nothing is seen, nor while the message sleeps; and of two moments between two frames the
    second may have taken the first back.
    """
    times = times[(times >= at[0]) & (times <= at[-1])]
    after = np.minimum(np.searchsorted(at, times, side="right"), len(at) - 1)
    usual = int(np.median(np.diff(at)))
    times = times[at[after] - times <= max(usual * 2, _MOST_SPREAD_NS)]
    apart = np.diff(times) > 1.2 * usual
    alone = np.ones(len(times), np.bool_)
    alone[1:] &= apart
    alone[:-1] &= apart
    return times[alone]


QUESTION = Question("what answers actions", frozenset({"reaction"}), ask)
