"""How often a message comes: at a period, or when something in it changes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...progress import Progress
from ...words import span_text
from ..finding import Said
from ..words import share_words
from .question import Answer, KindView, Question, View

_LEAST_FRAMES = 5
_LEAST_REGULAR = 0.8
_NEAR = 0.25
"""Part of a period by which a distance may be off."""
_LEAST_NEW = 0.7


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield the periods."""
    for kind in view.kinds:
        progress.check()
        found = _period(kind)
        if found is not None:
            yield kind, found


def _period(kind: KindView) -> Said | None:
    gaps = np.diff(kind.time_ns)
    if len(gaps) < _LEAST_FRAMES:
        return None
    usual = float(np.median(gaps))
    if usual <= 0:
        return None
    near = np.abs(gaps - usual) <= _NEAR * usual
    # a frame that was lost makes a gap of two periods, which is as regular
    turns = np.maximum(np.rint(gaps / usual), 1)
    regular = np.abs(gaps - turns * usual) <= _NEAR * usual
    if near.mean() >= _LEAST_REGULAR / 1.3 and regular.mean() >= _LEAST_REGULAR:
        seconds = float(gaps[near].mean()) / 1e9
        jitter = float(gaps[near].std()) / 1e9
        reason = (
            f"It comes every {span_text(round(seconds * 1e9))}; give or take a quarter "
            f"{share_words(int(regular.sum()), len(gaps), 'distance')} are that, or a whole number of times as long."
        )
        return _said({"seconds": seconds, "jitter_s": jitter}, int(regular.sum()), len(gaps), 0.97, reason)
    matrix, follows = kind.thin.matrix, kind.thin.follows[1:]
    new = (matrix[1:] != matrix[:-1]).any(axis=1)[follows]
    if len(new) >= _LEAST_FRAMES and new.mean() >= _LEAST_NEW:
        reason = (
            f"It comes at no period, and {share_words(int(new.sum()), len(new), 'frame')} say something else than the "
            f"one before."
        )
        return _said({"on change": True}, int(new.sum()), len(new), 0.85, reason)
    return None


def _said(parameters: dict[str, object], frames: int, total: int, confidence: float, reason: str) -> Said:
    return Said(
        kind="period", bits=(), parameters=parameters, frames=frames, against=total - frames,
        confidence=confidence * frames / total, reason=reason,
    )  # fmt: skip


QUESTION = Question("how often messages come", frozenset({"period"}), ask)
