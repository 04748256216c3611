"""A kernel that finds which values there are among many, without putting them in order."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

_SPREAD = np.uint64(0x9E3779B97F4A7C15)
"""2**64 divided by the golden ratio: multiplied by it, numbers that lie side by side come to lie far apart
(D. E. Knuth, The Art of Computer Programming 3, 6.4)."""


def numbered(values: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Return the distinct values in the order in which they come, int64 (k,), and the number of each among them, (n,).

    In time that grows with how many there are only; ``np.unique`` puts them in order first.
    """
    # at least half of them stay free
    log2 = len(values).bit_length() + 1
    slots = np.full(1 << log2, -1, np.int32)
    distinct = np.empty(len(values), np.int64)
    codes = np.empty(len(values), np.int32)
    count = _number(np.ascontiguousarray(values, np.int64), np.uint64(64 - log2), slots, distinct, codes)
    return distinct[:count].copy(), codes


@njit(cache=True, nogil=True)
def _number(values, shift, slots, distinct, codes):  # type: ignore[no-untyped-def]
    """Look each value up, beginning at the place that the highest bits of its product say; return how many differ."""
    last = len(slots) - 1
    count = 0
    for i in range(len(values)):
        slot = np.int64(np.uint64(values[i]) * _SPREAD >> shift)
        while slots[slot] >= 0 and distinct[slots[slot]] != values[i]:
            slot = (slot + 1) & last
        if slots[slot] < 0:
            slots[slot] = count
            distinct[count] = values[i]
            count += 1
        codes[i] = slots[slot]
    return count
