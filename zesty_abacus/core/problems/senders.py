"""Two senders of one address: told by two counters that run beside each other, or by two beats of one period."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..words import grouped, span_text
from .counting import Counted
from .period import LEAST_FRAMES, usual_period
from .problem import Problem, ProblemKind
from .seen import KindSeen

_LEAST_OF_ANOTHER = 8
"""Frames that a second sender has sent at least."""
_TURNS = 1.5
_ANEW = 0.2
_SAME = 0.15
"""Part of a period within which two distances are one."""
_INSIDE = 0.85
"""Part of a period that a distance is shorter than where a frame of another lies between."""
_DRIFT = 0.1
"""Part of a period by which one beat wanders against the other: pages that one sender sends together do not."""


def problems(seen: KindSeen, counters: Iterable[Counted]) -> Iterator[Problem]:
    """Yield whether a kind has a second sender, whose frames are noted in :attr:`KindSeen.of_another`."""
    others, reason = np.empty(0, np.int64), ""
    for counted in counters:
        others = _by_counter(counted)
        if len(others):
            reason = "Two counters run beside each other"
            break
    if not len(others):
        others, period = _by_beat(seen.times)
        reason = f"Frames that come every {span_text(period)} come twice, each with a beat of its own"
    if len(others):
        seen.of_another[others] = True
        yield seen.problem(
            ProblemKind.TWO_SENDERS, others,
            f"{reason}: {grouped(len(others))} of {grouped(len(seen))} frames seem to be a second sender's.",
        )  # fmt: skip


def _by_counter(counted: Counted) -> NDArray[np.int64]:
    """Return the frames of the chain of numbers that began later, if there are two, one beside the other."""
    if len(counted.places) < 2 * _LEAST_OF_ANOTHER or counted.sender[0] != counted.sender[-1]:
        return np.empty(0, np.int64)
    chain, begins = _chains(counted.numbers, counted.step, counted.wraps)
    others = np.flatnonzero(chain)
    fewer = min(len(chain) - len(others), len(others))
    switches = np.count_nonzero(np.diff(chain))
    # the frames of two take turns; frames that are lost make a counter begin anew as often as it changes
    if fewer < _LEAST_OF_ANOTHER or switches < _TURNS * fewer or begins > _ANEW * switches:
        return np.empty(0, np.int64)
    return counted.places[others]


@njit(cache=True, nogil=True)
def _chains(numbers, step, wraps):  # type: ignore[no-untyped-def]
    """Return which of two counters each number goes on with, int8 (n,), and how often one begins anew."""
    chain = np.empty(len(numbers), np.int8)
    begun = 0
    last = np.full(2, np.int64(-1))
    used = np.full(2, np.int64(-1))
    for i in range(len(numbers)):
        mine = -1
        for one in range(2):
            if used[one] >= 0 and (numbers[i] - last[one] - step) % wraps == 0:
                mine = one
                break
        if mine < 0:
            mine = 0 if used[0] <= used[1] else 1
            begun += 1
        chain[i] = mine
        last[mine] = numbers[i]
        used[mine] = i
    return chain, begun


def _by_beat(times: NDArray[np.int64]) -> tuple[NDArray[np.int64], int]:
    """Return the frames that lie between those of a steady beat, if they have a beat of their own; and the period."""
    nothing = np.empty(0, np.int64), 0
    if len(times) < 2 * LEAST_FRAMES:
        return nothing
    alone = usual_period(times)
    over_two = times[2:] - times[:-2]
    if alone is not None and alone.frames == 1:
        period, joins = alone.ns, True
    else:
        period, joins = int(np.median(over_two)), False
    if period <= 0:
        return nothing
    distances = np.diff(times)
    between = (
        (np.abs(over_two - period) <= _SAME * period)
        & (distances[:-1] < _INSIDE * period) & (distances[1:] < _INSIDE * period)
    )  # fmt: skip
    stretches = [run for run in _runs(between) if run[1] - run[0] >= _LEAST_OF_ANOTHER]
    if not stretches:
        return nothing
    joins = joins or _comes_alone(distances, stretches, period)
    if not joins and not any(_wanders(distances[first:last] / period) for first, last in stretches):
        return nothing
    return np.concatenate([np.arange(first + 1, last + 1, 2) for first, last in stretches]), period


def _runs(holds: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], holds, [False]]).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _comes_alone(distances: NDArray[np.int64], stretches: list[tuple[int, int]], period: int) -> bool:
    """Return whether the beat goes on by itself somewhere beside the stretches."""
    outside = np.ones(len(distances), np.bool_)
    for first, last in stretches:
        outside[first : last + 1] = False
    steady = outside & (np.abs(distances - period) <= _SAME * period)
    return int(steady.sum()) >= _LEAST_OF_ANOTHER


def _wanders(parts: NDArray[np.float64]) -> bool:
    """Return whether the second beat moves against the first; ``parts`` are distances as parts of the period."""
    phase = np.unwrap(parts[::2], period=1.0)
    tenth = max(len(phase) // 10, 2)
    return bool(abs(np.median(phase[:tenth]) - np.median(phase[-tenth:])) >= _DRIFT)
