"""What came and went on lanes lately, counted in steps of time: no more of a bus in flood than of one that sleeps."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

STEP_NS = 5_000_000
"""Less than a pixel of the score, also of a wide one."""
_A_SECOND = 1_000_000_000 // STEP_NS
_REMEMBERED = 12 * _A_SECOND
_QUIET = _A_SECOND // 2
"""After so many steps without a frame on any lane it is not the way here that holds frames up."""


class _Steps(NamedTuple):
    """Steps of time in which there were frames, rising; int64, int64 and float64 (n,)."""

    number: NDArray[np.int64]
    frames: NDArray[np.int64]
    bits: NDArray[np.float64]


_NONE = _Steps(np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0))


class Lately:
    """Counts frames of the last seconds, lane by lane and way by way.

    Used by the thread that takes frames, and read by the window: what is there is replaced as a whole, never changed.
    """

    def __init__(self) -> None:
        self._ways: dict[tuple[str, bool], _Steps] = {}
        self._newest = 0

    def forget(self) -> None:
        """Begin anew."""
        self._ways, self._newest = {}, 0

    def as_it_is(self) -> Lately:
        """Return what is counted so far, which does not grow."""
        made = Lately()
        made._ways, made._newest = dict(self._ways), self._newest
        return made

    def add(self, lane: str, is_sent: bool, times_ns: NDArray[np.int64], bits: NDArray[np.float64]) -> None:
        """Count frames of a lane.

        Parameters
        ----------
        times_ns : int64 (n,)
            In any order.
        bits : float64 (n,)
            That each took on its line; 0 where that is not known.
        """
        before = self._ways.get((lane, is_sent), _NONE)
        number, place = np.unique(np.append(before.number, times_ns // STEP_NS), return_inverse=True)
        frames = np.bincount(place, np.append(before.frames, np.ones(len(times_ns)))).astype(np.int64)
        taken = np.bincount(place, np.append(before.bits, bits)).astype(np.float64)
        self._newest = max(self._newest, int(number[-1]))
        kept = number > self._newest - _REMEMBERED
        self._ways = {**self._ways, (lane, is_sent): _Steps(number[kept], frames[kept], taken[kept])}

    def begins_ns(self, lane: str, is_sent: bool) -> NDArray[np.int64]:
        """Return when the steps begin in which there were frames of a lane, rising; int64 (n,)."""
        return self._ways.get((lane, is_sent), _NONE).number * STEP_NS

    def frames_a_second(self, lane: str, now_ns: int) -> int:
        """Return how many frames came and went on a lane in the last second."""
        return int(sum(one.frames[self._is_of_last_second(one, now_ns)].sum() for one in self._both(lane)))

    def bits_a_second(self, lane: str, now_ns: int) -> float:
        """Return how many bits frames took on a lane in the last second."""
        return float(sum(one.bits[self._is_of_last_second(one, now_ns)].sum() for one in self._both(lane)))

    def _both(self, lane: str) -> list[_Steps]:
        return [self._ways.get((lane, is_sent), _NONE) for is_sent in (False, True)]

    def _is_of_last_second(self, steps: _Steps, now_ns: int) -> NDArray[np.bool_]:
        # frames come in batches: up to now some are still on their way, and the newest step is not over
        end = max(self._newest, now_ns // STEP_NS - _QUIET)
        return (steps.number >= end - _A_SECOND) & (steps.number < end)
