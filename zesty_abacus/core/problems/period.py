"""How often a message usually comes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LEAST_FRAMES = 8
"""Fewer frames have no period that is worth the name."""
_MOST_AT_ONCE = 4
"""Frames that may come together in one period, as pages of one message do."""
_NEAR = 0.3
_STEADY = 0.6
"""A message is cyclic if this share of its distances is within :data:`_NEAR` of the median."""
_LONGEST_BURST, _ALWAYS = 8, 0.9
"""Frames of a burst, and which share of bursts is equally long; what lies between them is no gap."""
_IN_TURNS = 4.0
_CALM = 0.05
"""Part of the period by which distances may always differ."""
_TO_SIGMA = 1.4826
"""Takes the median of absolute deviations to the standard deviation, for a normal distribution."""


@dataclass(frozen=True, slots=True)
class Period:
    """The usual distance of frames.

    Attributes
    ----------
    ns
        From a frame to the one ``frames`` behind it.
    frames
        How many come in one period.
    spread_ns
        Standard deviation of the distance, as the median of the deviations tells it: a few bad ones do not count.
    resolution_ns
        What all distances are multiples of: the clock of the recording.
    """

    ns: int
    frames: int
    spread_ns: float
    resolution_ns: int


def usual_period(times: NDArray[np.int64]) -> Period | None:
    """Return how often frames usually come, None if they come as they please; ``times`` int64 (n,) in order."""
    found = [
        period for frames in range(1, _MOST_AT_ONCE + 1)
        if len(times) >= LEAST_FRAMES * frames and (period := _period_over(times, frames)) is not None
    ]  # fmt: skip
    if not found:
        return None
    # over several frames jitter stays what it is, so more of it over fewer means that they come in turns
    least = min(period.spread_ns for period in found)
    chosen = next(
        period for period in found
        if period.spread_ns <= max(_IN_TURNS * least, _CALM * period.ns, period.resolution_ns)
    )  # fmt: skip
    return _burst_period(times, chosen) or chosen


def _burst_period(times: NDArray[np.int64], period: Period) -> Period | None:
    """Return the period of bursts of equally many frames, None if frames come one by one."""
    over = times[period.frames :] - times[: -period.frames]
    if np.mean(over > 1.5 * period.ns) < 1 / _LONGEST_BURST:
        return None
    for frames in range(2, _LONGEST_BURST + 1):
        if len(times) >= LEAST_FRAMES * frames:
            found = _period_over(times, frames)
            whole = times[frames:] - times[:-frames]
            if found is not None and np.mean(np.abs(whole - found.ns) <= _CALM * found.ns) >= _ALWAYS:
                return found
    return None


def _period_over(times: NDArray[np.int64], frames: int) -> Period | None:
    """Return the usual distance of frames that have ``frames - 1`` between them, None if there is none."""
    distances = times[frames:] - times[:-frames]
    middle = int(np.median(distances))
    if middle <= 0:
        return None
    resolution = int(np.gcd.reduce(distances[:4096]))
    if resolution == middle:
        # all are whole periods: that is no clock
        resolution = 1
    deviations = np.abs(distances - middle)
    near = max(_NEAR * middle, resolution)
    if float(np.mean(deviations <= near)) < _STEADY:
        return None
    return Period(middle, frames, float(np.median(deviations)) * _TO_SIGMA, max(resolution, 1))
