"""Answers that take longer than usual."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..words import grouped, span_text
from .problem import Problem, ProblemKind
from .seen import KindSeen

_LEAST_ANSWERS = 8
_TIMES = 3.0
"""Times the usual that an answer may take at most."""
_SIGMAS = 8.0
_TO_SIGMA = 1.4826
_AT_LEAST_NS = 1_000_000
"""What is quicker than this above the usual is nobody's trouble."""


def problems(seen: KindSeen, took_ns: NDArray[np.int64], unanswered: NDArray[np.int64]) -> Iterator[Problem]:
    """Yield the slow answers of a kind, and its requests that a layout knows the answer of and nobody gave.

    Parameters
    ----------
    took_ns : int64 (frames of the capture,)
        How long after its request each answer came, -1 for what is none.
    unanswered : int64 (n,)
        Rows of requests without an answer.
    """
    yield from _slow(seen, took_ns[seen.rows])
    # what the link says itself is told by its flags
    places = np.flatnonzero(np.isin(seen.rows, unanswered) & (seen.flags & np.uint32(F.UNANSWERED) == 0))
    if len(places):
        which = "1 request" if len(places) == 1 else f"{grouped(len(places))} requests"
        yield seen.problem(
            ProblemKind.UNANSWERED, places, f"{which} of {grouped(len(seen))} nobody answered in time."
        )  # fmt: skip


def _slow(seen: KindSeen, took: NDArray[np.int64]) -> Iterator[Problem]:
    late = seen.flags & np.uint32(F.LATE) > 0
    known = took >= 0
    slow, usual = late, ""
    limit = seen.limit(ProblemKind.SLOW_ANSWER)
    if limit is not None:
        slow = late | (took > limit * 1e9)
        usual = f"May take {span_text(limit * 1e9)}"
    elif int(known.sum()) >= _LEAST_ANSWERS:
        middle = float(np.median(took[known]))
        spread = float(np.median(np.abs(took[known] - middle))) * _TO_SIGMA
        slow = late | (took > max(_TIMES * middle, middle + _SIGMAS * spread, middle + _AT_LEAST_NS))
        usual = f"Usually takes {span_text(middle)}"
    places = np.flatnonzero(slow)
    if not len(places):
        return
    amounts = np.maximum(took[places], 0) / 1e9
    which = "1 answer" if len(places) == 1 else f"{grouped(len(places))} answers"
    worst = f", at worst {span_text(amounts.max() * 1e9)}" if amounts.max() > 0 else ""
    said = f"{usual}; {which} took longer{worst}." if usual else f"{which} came after the time allowed{worst}."
    yield seen.problem(ProblemKind.SLOW_ANSWER, places, said, amounts=amounts, share=len(places) / max(len(seen), 1))
