"""Messages that begin or end in the middle of a recording."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..words import span_text
from .problem import Problem, ProblemKind
from .seen import KindSeen

_PERIODS = 5
"""Periods that a cyclic message may be away from the ends of its lane."""
_AT_LEAST_NS = 500_000_000


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield whether a cyclic message appears long after its lane began, and vanishes long before it ends."""
    period = seen.period
    if period is None:
        return
    away = max(_PERIODS * period.ns, _AT_LEAST_NS)
    begins, ends = int(seen.times[0]), int(seen.times[-1])
    lane_begins, lane_ends = seen.lane_span
    usual = f"every {span_text(period.ns)}"
    if begins - lane_begins > away:
        late = span_text(begins - lane_begins)
        yield seen.problem(
            ProblemKind.APPEARED, np.array([0]), f"Appears {late} after the lane began, then comes {usual}.",
            worst=(begins - lane_begins) / 1e9,
        )  # fmt: skip
    if lane_ends - ends > away:
        missing = span_text(lane_ends - ends)
        yield seen.problem(
            ProblemKind.VANISHED, np.array([len(seen) - 1]), f"Came {usual}, and is away for the last {missing}.",
            worst=(lane_ends - ends) / 1e9, share=(lane_ends - ends) / max(lane_ends - lane_begins, 1),
        )  # fmt: skip
