"""Messages that begin or end in the middle of a recording."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..words import span_text
from .problem import Problem, ProblemKind
from .seen import KindSeen

_PERIODS = 5
"""Periods that a cyclic message may be away from the ends of its lane."""
_AT_LEAST_NS = 500_000_000


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield whether a cyclic message appears long after its lane began, and vanishes long before it ends.

    In a stretch of the recording in which it does not come at all it does neither; of several the worst is told.
    """
    period = seen.period
    if period is None:
        return
    away = max(_PERIODS * period.ns, _AT_LEAST_NS)
    usual = f"every {span_text(period.ns)}"
    first, last = _ends(seen.stretches)
    spans = np.array(seen.lane_spans, np.int64)[seen.stretches[first]]
    late = seen.times[first] - spans[:, 0]
    worst = int(np.argmax(late))
    if late[worst] > away:
        yield seen.problem(
            ProblemKind.APPEARED, first[worst : worst + 1],
            f"Appears {span_text(int(late[worst]))} after the lane began, then comes {usual}.", worst=late[worst] / 1e9,
        )  # fmt: skip
    missing = spans[:, 1] - seen.times[last]
    worst = int(np.argmax(missing))
    if missing[worst] > away:
        yield seen.problem(
            ProblemKind.VANISHED, last[worst : worst + 1],
            f"Came {usual}, and is away for the last {span_text(int(missing[worst]))}.", worst=missing[worst] / 1e9,
            share=float(missing[worst] / max(spans[worst, 1] - spans[worst, 0], 1)),
        )  # fmt: skip


def _ends(stretches: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return which frames are the first and the last ones of their stretches; int64 (stretches,) each."""
    turns = np.flatnonzero(np.diff(stretches))
    return np.append(0, turns + 1), np.append(turns, len(stretches) - 1)
