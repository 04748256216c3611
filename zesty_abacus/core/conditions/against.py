"""Two conditions set against each other: how often one holds within a time of the other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .hits import Hits


@dataclass(frozen=True, slots=True)
class Against:
    """How the hits of two conditions lie to each other.

    Attributes
    ----------
    first, second
        How many hits each has.
    first_near, second_near
        How many of them have one of the other within the time, before or behind, both ends included.
    lag_ns
        From a hit of the first that has one near to the nearest of the second, by the median; negative where the
        second comes before.
    """

    first: int
    second: int
    first_near: int
    second_near: int
    lag_ns: int


def against(first: Hits, second: Hits, within_ns: int) -> Against:
    """Return how often each of two conditions holds within a time of the other."""
    nearest = _to_nearest(first.time_ns, second.time_ns)
    near = np.abs(nearest) <= within_ns
    back = np.abs(_to_nearest(second.time_ns, first.time_ns)) <= within_ns
    lag = int(np.median(nearest[near])) if near.any() else 0
    return Against(len(first), len(second), int(near.sum()), int(back.sum()), lag)


def _to_nearest(times: NDArray[np.int64], others: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return from each time the distance to the nearest of others, int64 (n,); the later one of two equally near."""
    far = np.iinfo(np.int64).max
    if not len(others):
        return np.full(len(times), far, np.int64)
    place = np.searchsorted(others, times)
    after = np.where(place < len(others), others[np.minimum(place, len(others) - 1)] - times, far)
    before = np.where(place > 0, times - others[np.maximum(place - 1, 0)], far)
    return np.where(before < after, -before, after)
