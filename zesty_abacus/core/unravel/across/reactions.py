"""Which bits answer an action, and hardly ever move otherwise."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.special import bdtrc

from ...progress import Progress
from ...words import span_text
from ..finding import Said
from ..words import count_of
from .question import Answer, KindView, Question, View

_WINDOW_NS = 2_500_000_000
_LEAST_SHARE = 0.75
_MOST_SPREAD_NS = 400_000_000
_LEAST_SURE = 1e-3


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


def _reaction(view: View, kind: KindView, one: Said, text: str, times: NDArray[np.int64], asked: int) -> Said | None:
    raw, at = kind.thin.raw(one.bits), kind.thin.time_ns
    moved = np.flatnonzero(raw[1:] != raw[:-1]) + 1
    if not len(moved) or len(at) < 3:
        return None
    changes = at[moved]
    inside = times[(times >= at[0] - _WINDOW_NS) & (times <= at[-1])]
    if not len(inside):
        return None
    window = _WINDOW_NS + int(np.median(np.diff(at)))
    place = np.searchsorted(changes, inside)
    follows = place < len(changes)
    delay = np.where(follows, changes[np.minimum(place, len(changes) - 1)] - inside, np.iinfo(np.int64).max)
    # the usual delay tells an answer from a change that merely came soon after
    near = delay[delay <= window]
    if not len(near):
        return None
    usual = float(np.median(near))
    spread = max(_MOST_SPREAD_NS, int(1.2 * np.median(np.diff(at))))
    answers = np.abs(np.where(delay <= window, delay, 1 << 60) - usual) <= spread
    hits = int(answers.sum())
    others = len(changes) - hits
    if hits < max(_LEAST_SHARE * len(inside), 1) or others > 0.5 * hits + 1:
        return None
    span = max(view.span_ns[1] - view.span_ns[0], 1)
    by_chance = min(1 - np.exp(-len(changes) * 2 * spread / span), 1.0)
    chance = float(bdtrc(hits - 1, len(inside), by_chance)) * asked
    if (chance > _LEAST_SURE and hits > 1) or (hits == 1 and others):
        return None
    after = raw[moved[place[answers]]]
    values, counts = np.unique(after, return_counts=True)
    confidence = float(np.clip(0.97 - chance * 100, 0.5, 0.97)) if hits > 1 else 0.5
    reason = (
        f"It changes {span_text(round(usual))} after {hits} of {count_of(len(inside), 'moment')} “{text}”, and "
        f"{count_of(others, 'time')} otherwise."
    )
    return Said(
        kind="reaction", bits=one.bits, frames=hits, against=len(inside) - hits, confidence=confidence, reason=reason,
        parameters={"moment": text, "delay_s": usual / 1e9, "value": int(values[np.argmax(counts)])},
    )  # fmt: skip


QUESTION = Question("what answers actions", frozenset({"reaction"}), ask)
