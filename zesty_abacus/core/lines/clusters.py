"""Lengths of time sorted into clusters: short, long, and whatever else a pulse train is made of."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_BINS_AN_OCTAVE = 12
_RARE = 0.004
"""A cluster with a smaller part of all lengths is taken as noise, unless it is asked for."""


@dataclass(frozen=True, slots=True)
class Cluster:
    """Lengths that belong together.

    Attributes
    ----------
    center, low, high : float
        Median and bounds in nanoseconds.
    count
    """

    center: float
    low: float
    high: float
    count: int


def cluster_lengths(lengths: NDArray[np.int64], fewest: int = 2) -> list[Cluster]:
    """Sort lengths into clusters, shortest first.

    Lengths are counted on a logarithmic scale, a twelfth of an octave a bin, and smoothed; clusters are divided
    where nearly nothing lies between two peaks. So twenty percent of jitter still leaves one and two units apart.

    Parameters
    ----------
    lengths
        Nanoseconds, above zero.
    fewest
        Smaller clusters are left out.
    """
    lengths = np.sort(lengths[lengths > 0])
    if not len(lengths):
        return []
    scale = np.log2(lengths.astype(np.float64)) * _BINS_AN_OCTAVE
    first = int(scale[0]) - 2
    counts = np.bincount((scale - first).astype(np.int64), minlength=int(scale[-1]) - first + 4).astype(np.float64)
    smooth = np.convolve(counts, (0.25, 0.5, 0.25), "same")
    bounds = _valleys(smooth)
    edges = 2.0 ** ((np.array(bounds) + first) / _BINS_AN_OCTAVE)
    found = []
    for low, high in itertools.pairwise(edges):
        part = lengths[np.searchsorted(lengths, low) : np.searchsorted(lengths, high)]
        if len(part) >= max(fewest, len(lengths) * _RARE if fewest > 1 else 1):
            found.append(Cluster(float(np.median(part)), float(low), float(high), len(part)))
    return found


def _valleys(smooth: NDArray[np.float64]) -> list[int]:
    """Return where to divide: between two peaks, at the lowest bin, if it is far below both."""
    peaks = [
        i for i in range(1, len(smooth) - 1)
        if smooth[i] > 0 and smooth[i] >= smooth[i - 1] and smooth[i] > smooth[i + 1]
    ]  # fmt: skip
    bounds = [0]
    kept: list[int] = []
    for peak in peaks:
        if not kept:
            kept.append(peak)
            continue
        low = int(np.argmin(smooth[kept[-1] : peak + 1])) + kept[-1]
        if smooth[low] < 0.3 * min(smooth[kept[-1]], smooth[peak]):
            # the middle of an empty stretch is as far from both as can be
            same = np.flatnonzero(smooth[kept[-1] : peak + 1] <= smooth[low]) + kept[-1]
            bounds.append(int(same[len(same) // 2]))
            kept.append(peak)
        elif smooth[peak] > smooth[kept[-1]]:
            kept[-1] = peak
    return [*bounds, len(smooth)]
