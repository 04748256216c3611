"""How much later one recording runs than another, judged by a signal that both hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy  # its parts load on first use, which spares every start a second
from numpy.typing import NDArray

from ..errors import MisuseError

_GRID = 1 << 16
_FINE = 400


@dataclass(frozen=True, slots=True)
class OffsetEstimate:
    """What has to be added to the second recording's times.

    Attributes
    ----------
    offset_ns
    agreement
        Correlation of the two signals after the shift, -1 to 1.
    margin
        How much better it is than the best shift elsewhere, 0 to 1.
    """

    offset_ns: int
    agreement: float
    margin: float


def estimate_offset(
    first: tuple[NDArray[np.int64], NDArray[np.float64]], second: tuple[NDArray[np.int64], NDArray[np.float64]]
) -> OffsetEstimate:
    """Find the shift at which two signals agree best.

    Both are laid on one even grid and correlated at every shift, each shift divided by the size of what overlaps;
    then the neighbourhood of the best one is searched finely.

    Parameters
    ----------
    first, second
        Times in nanoseconds and values; NaN values are left out.

    Raises
    ------
    MisuseError
        If one of them has fewer than eight values, or never changes.
    """
    signals = [_cleaned(*signal) for signal in (first, second)]
    spans = [int(time[-1] - time[0]) for time, _ in signals]
    steps = [float(np.median(np.diff(time))) for time, _ in signals]
    step = max(min(steps), sum(spans) / _GRID, 1.0)
    grids = [_on_grid(time, values, step) for time, values in signals]
    lags = np.arange(-(len(grids[1]) - 1), len(grids[0]))
    score = _correlation(*grids)
    best = int(np.argmax(score))
    offset = signals[0][0][0] - signals[1][0][0] + lags[best] * step
    far = np.abs(lags - lags[best]) > max(len(grids[1]) * 0.02, 4)
    other = float(score[far].max()) if far.any() else 0.0
    offset, agreement = _refined(signals, float(offset), step)
    return OffsetEstimate(round(offset), agreement, max(float(score[best]) - other, 0.0))


def _cleaned(time: NDArray[np.int64], values: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    good = np.isfinite(values)
    time, values = time[good], values[good]
    if len(time) < 8:
        raise MisuseError(f"{len(time)} values, expected at least 8 to find an offset by.")
    if np.ptp(values) == 0:
        raise MisuseError("a signal that never changes tells no offset.", hint="Choose another one.")
    return time, values


def _on_grid(time: NDArray[np.int64], values: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    places = np.arange(time[0], time[-1] + 1, step)
    # what rises and falls counts, not how high it stands: units and offsets differ between recordings
    grid = np.interp(places, time, values)
    return (grid - grid.mean()) / (grid.std() or 1.0)


def _correlation(first: NDArray[np.float64], second: NDArray[np.float64]) -> NDArray[np.float64]:
    product = scipy.signal.fftconvolve(first, second[::-1])
    ones = [np.ones(len(first)), np.ones(len(second))]
    energy = scipy.signal.fftconvolve(first**2, ones[1]) * scipy.signal.fftconvolve(ones[0], second[::-1] ** 2)
    overlap = scipy.signal.fftconvolve(*ones)
    score = product / np.sqrt(np.maximum(energy, 1e-9))
    # where hardly anything overlaps, anything agrees
    return np.where(overlap >= 0.25 * min(len(first), len(second)), score, -1.0)


def _refined(signals: list[tuple[NDArray, NDArray]], offset: float, step: float) -> tuple[float, float]:
    (time, values), (other_time, other_values) = signals
    picked = np.linspace(0, len(other_time) - 1, min(len(other_time), 20_000)).astype(np.int64)
    best = (-2.0, offset)
    for shift in np.linspace(-1.5, 1.5, _FINE // 4 + 1) * step:
        at = other_time[picked] + offset + shift
        inside = (at >= time[0]) & (at <= time[-1])
        if inside.sum() < 8:
            continue
        there = np.interp(at[inside], time, values)
        here = other_values[picked][inside]
        if np.ptp(there) == 0 or np.ptp(here) == 0:
            continue
        best = max(best, (float(np.corrcoef(there, here)[0, 1]), offset + shift))
    return best[1], best[0]
