"""Which frame of one stream is which of another: by what they hold, by their counter, or by their time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..kernels.distinct import numbered

BY = ("payload", "counter", "time")
"""How frames may be matched, what tells most first."""
_LEAST = 4
_ENOUGH = 0.5
"""Share of the frames of the shorter stream that have to find one another before a way is believed."""
_MOST_VOTES = 20_000
_BINS = 4096


@dataclass(frozen=True, slots=True, eq=False)
class Stream:
    """Frames of one side.

    Attributes
    ----------
    times : int64 (n,)
    payload : uint64 (n,)
        A hash of each payload.
    counter : int64 (n,), None without one
        -1 where it cannot be believed.
    wraps
        Values that the counter runs through.
    period_ns
        How often frames usually come, 0 where they come as they please.
    """

    times: NDArray[np.int64]
    payload: NDArray[np.uint64]
    counter: NDArray[np.int64] | None
    wraps: int
    period_ns: int

    def __len__(self) -> int:
        return len(self.times)


@dataclass(frozen=True, slots=True, eq=False)
class Matched:
    """Frames of two streams that are the same one.

    Attributes
    ----------
    by
        One of :data:`BY`, empty where nothing matches.
    first, second : int64 (m,)
        Numbers of the frames, the first rising; the second fall where one was overtaken by others.
    lag_ns
        How much later the second comes, by the median.
    spread_ns
        Standard deviation of that, as the median of deviations tells it.
    """

    by: str
    first: NDArray[np.int64]
    second: NDArray[np.int64]
    lag_ns: int
    spread_ns: float

    def __len__(self) -> int:
        return len(self.first)


NOTHING = Matched("", np.empty(0, np.int64), np.empty(0, np.int64), 0, 0.0)


def match(first: Stream, second: Stream) -> Matched:
    """Return which frames are the same, by the first way of :data:`BY` that finds enough of them.

    The lag is found by letting pairs of frames that look alike vote for their distance: the true one is that of many.
    """
    for by in BY:
        found = _match_by(by, first, second)
        if len(found) >= max(_ENOUGH * min(len(first), len(second)), 1):
            return _with_changed(first, second, found) if by == "payload" else found
    return NOTHING


def _match_by(by: str, first: Stream, second: Stream) -> Matched:
    if min(len(first), len(second)) < _LEAST:
        return NOTHING
    if by == "counter" and (first.counter is None or second.counter is None):
        return NOTHING
    ours, theirs = _keys(by, first), _keys(by, second)
    if by == "payload" and len(np.unique(ours)) < _LEAST:
        # what never changes says nothing about which frame is which
        return NOTHING
    period = max(first.period_ns, second.period_ns)
    lag = _voted_lag(first.times, ours, second.times, theirs, period)
    if lag is None:
        return NOTHING
    reach = _reach(first, second)
    if by == "counter":
        # a number comes again only after a whole turn, so what is late by some frames is still found
        reach = max(reach, first.wraps // 2 * period)
    a, b = _pair(first.times + lag, ours, second.times, theirs, reach)
    if not len(a):
        return NOTHING
    return _matched(by, first, second, a, b)


def _matched(by: str, first: Stream, second: Stream, a: NDArray[np.int64], b: NDArray[np.int64]) -> Matched:
    lags = second.times[b] - first.times[a]
    middle = int(np.median(lags))
    return Matched(by, a, b, middle, float(np.median(np.abs(lags - middle))) * 1.4826)


def _with_changed(first: Stream, second: Stream, found: Matched) -> Matched:
    """Return frames that hold the same with those left over on both sides at one time, which hold something else."""
    ours, theirs = np.ones(len(first), np.bool_), np.ones(len(second), np.bool_)
    ours[found.first] = theirs[found.second] = False
    left, right = np.flatnonzero(ours), np.flatnonzero(theirs)
    alike = np.zeros(len(left), np.int64), np.zeros(len(right), np.int64)
    expected = first.times[left] + found.lag_ns
    a, b = _pair(expected, alike[0], second.times[right], alike[1], _reach(first, second))
    a, b = np.concatenate([found.first, left[a]]), np.concatenate([found.second, right[b]])
    order = np.argsort(a, kind="stable")
    return _matched(found.by, first, second, a[order], b[order])


def _reach(first: Stream, second: Stream) -> int:
    """Return how far from its time a frame is looked for: half of what lies between two."""
    period = max(first.period_ns, second.period_ns) or _usual_distance(first.times)
    return max(period // 2, 1)


def _keys(by: str, stream: Stream) -> NDArray[np.int64]:
    """Return what frames have to share; below 0 nothing is shared."""
    if by == "payload":
        return (stream.payload >> np.uint64(1)).astype(np.int64)
    if by == "counter":
        assert stream.counter is not None
        return stream.counter
    return np.zeros(len(stream), np.int64)


def _usual_distance(times: NDArray[np.int64]) -> int:
    return int(np.median(np.diff(times))) if len(times) > 1 else 0


def _voted_lag(
    times: NDArray[np.int64], ours: NDArray[np.int64], other: NDArray[np.int64], theirs: NDArray[np.int64], period: int
) -> int | None:
    """Return the distance that most pairs of frames with the same key have."""
    votes = _votes(times, ours, other, theirs)
    if not len(votes):
        return None
    # the rarer a key, the more its pairs say; so the width of a bin is a part of the period, not of the span
    width = max(period // 4, 1) if period else max(int(votes.max() - votes.min()) // _BINS, 1)
    low = int(votes.min())
    bins = (votes - low) // width
    numbers, counts = np.unique(bins, return_counts=True)
    # two neighbours together, since the true distance may lie on an edge
    follows = np.append(np.diff(numbers) == 1, False)
    both = counts + np.where(follows, np.append(counts[1:], 0), 0)
    # of equally many the nearest: streams that only beat in time fit at every period
    best = np.lexsort((np.abs(low + (numbers + 1) * width), -both))[0]
    near = (bins == numbers[best]) | (bins == numbers[best] + 1)
    return int(np.median(votes[near]))


def _votes(
    times: NDArray[np.int64], ours: NDArray[np.int64], other: NDArray[np.int64], theirs: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Return distances of frames with the same key: of rare keys all, of frequent ones those to the nearest in time."""
    step = max(len(ours) // _MOST_VOTES, 1)
    chosen = np.flatnonzero(ours >= 0)[::step]
    order = np.lexsort((other, theirs))
    return _distances(times[chosen], ours[chosen], other[order], theirs[order])


@njit(cache=True, nogil=True)
def _distances(times, ours, other, theirs):  # type: ignore[no-untyped-def]
    most = 8
    found = np.empty(len(times) * most, np.int64)
    count = 0
    for i in range(len(times)):
        first = np.searchsorted(theirs, ours[i])
        last = np.searchsorted(theirs, ours[i], side="right")
        if first == last:
            continue
        if last - first > most:
            # around the frame's own time
            middle = first + np.searchsorted(other[first:last], times[i])
            first = max(first, min(middle - most // 2, last - most))
            last = first + most
        for j in range(first, last):
            found[count] = other[j] - times[i]
            count += 1
    return found[:count]


def _pair(
    expected: NDArray[np.int64],
    ours: NDArray[np.int64],
    other: NDArray[np.int64],
    theirs: NDArray[np.int64],
    reach: int,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return pairs with the same key within reach, each frame once: the nearest that is free.

    Frames of one key stay in order; one that is late and was overtaken by others takes none of theirs.
    """
    keys, numbers = numbered(np.concatenate([ours, theirs]))
    own = np.where(ours < 0, np.int32(-1), numbers[: len(ours)])
    return _nearest(expected, own, other, numbers[len(ours) :], reach, len(keys))


@njit(cache=True, nogil=True)
def _nearest(expected, ours, other, theirs, reach, keys):  # type: ignore[no-untyped-def]
    first = np.empty(len(expected), np.int64)
    second = np.empty(len(expected), np.int64)
    last_taken = np.full(keys, np.int64(-1))
    count = at = 0
    for i in range(len(expected)):
        key = ours[i]
        if key < 0:
            continue
        while at < len(other) and other[at] < expected[i]:
            at += 1
        # outward from where it is expected, the nearer side first: with a counter of 16 bits there are tens of
        # thousands within reach, and nearly always it is the first
        left, right = at - 1, at
        while True:
            before = expected[i] - other[left] if left > last_taken[key] else reach + 1
            behind = other[right] - expected[i] if right < len(other) else reach + 1
            if before > reach and behind > reach:
                break
            if before <= behind:
                found, left = left, left - 1
            else:
                found, right = right, right + 1
            if theirs[found] == key and found > last_taken[key]:
                first[count], second[count] = i, found
                last_taken[key] = found
                count += 1
                break
    return first[:count], second[:count]
