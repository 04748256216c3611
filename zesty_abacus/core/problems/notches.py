"""Where in a recording something is wrong, lane by lane, for a picture of the whole."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture
from .problem import Problem, ProblemKind

_EVERYWHERE = frozenset({ProblemKind.UNKNOWN_MESSAGE, ProblemKind.TWO_SENDERS, ProblemKind.BUS_LOAD})
"""What is in every frame or none says nothing about where."""


def notches(
    capture: Capture, problems: Iterable[Problem], columns: int, span: tuple[int, int] | None = None
) -> NDArray[np.bool_]:
    """Return whether something is wrong on each lane in each of some equal parts of time.

    Parameters
    ----------
    span
        First and last time in ns; None is the whole recording. What lies outside is left out.

    Returns
    -------
    bool (lanes, columns)
    """
    found = np.zeros((len(capture.lanes), columns), np.bool_)
    if not len(capture):
        return found
    numbers = {lane.name: number for number, lane in enumerate(capture.lanes)}
    first, last = capture.order.span() if span is None else span
    scale = columns / max(last - first, 1)
    for problem in problems:
        if problem.kind not in _EVERYWHERE:
            inside = (problem.time_ns >= first) & (problem.time_ns <= last)
            places = ((problem.time_ns[inside] - first) * scale).astype(np.int64)
            found[numbers[problem.lane], np.clip(places, 0, columns - 1)] = True
    return found
