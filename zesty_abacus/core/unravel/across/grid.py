"""Curves of fields and of references at common times, so that they can be compared at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...values.reference import values_at
from ..finding import Said
from .question import KindView, View

_LEAST_FRAMES = 4
STEP_NS = 50_000_000
_MOST_POINTS = 8_192
_LEAST_COMMON = 0.15
"""Part of a curve that another one has to be there for: some messages sleep most of the time."""


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """A field at the times of a grid.

    Attributes
    ----------
    of
    said
    values : float64 (points,)
        NaN before its first and behind its last frame.
    """

    of: KindView
    said: Said
    values: NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Grid:
    """Times that curves are compared at.

    Attributes
    ----------
    time_ns : int64 (points,)
    step_ns
    """

    time_ns: NDArray[np.int64]
    step_ns: int

    @classmethod
    def over(cls, span_ns: tuple[int, int]) -> Grid:
        """Return a grid over a time, coarser where it is long."""
        step = max(STEP_NS, -(-(span_ns[1] - span_ns[0]) // _MOST_POINTS))
        return cls(np.arange(span_ns[0], span_ns[1] + step, step), step)

    def curves(self, view: View, readings: Sequence[str], least_values: int, *, paged: bool = False) -> list[Curve]:
        """Return the fields with some readings that take enough values, those on pages only if asked for."""
        found = []
        for kind in view.kinds:
            if len(kind.thin) < _LEAST_FRAMES:
                continue
            for one in kind.fields(paged=paged):
                if one.parameters["reading"] in readings:
                    values, times = kind.values(one), kind.there(one).time_ns
                    if len(values) >= _LEAST_FRAMES and len(np.unique(values)) >= least_values:
                        found.append(Curve(kind, one, self._at(times, values, one.parameters["reading"])))
        return found

    def _at(self, times: NDArray[np.int64], values: NDArray[np.float64], reading: str) -> NDArray[np.float64]:
        if reading in ("flag", "names"):
            # a state holds until the next frame says otherwise
            place = np.searchsorted(times, self.time_ns, side="right") - 1
            made = values[np.maximum(place, 0)]
        else:
            made = values_at(times, values, self.time_ns)
        made[(self.time_ns < times[0]) | (self.time_ns > times[-1])] = np.nan
        return made


def correlations(one: NDArray[np.float64], others: NDArray[np.float64], most: int) -> NDArray[np.float64]:
    """Return how one curve goes along with others, at every lag of the others behind it.

    Parameters
    ----------
    one : float64 (points,)
    others : float64 (m, points)
        NaN is left out.
    most
        Steps by which they may lag or lead.

    Returns
    -------
    float64 (m, 2 * most + 1)
        Correlation with ``others`` taken ``lag - most`` steps later; -1 to 1, 0 where there is too little in common.
    """
    count = others.shape[1]
    size = 1 << int(count + most).bit_length()

    def transformed(curve: NDArray[np.float64]) -> NDArray[np.complex128]:
        return np.fft.rfft(curve, size, axis=-1)

    def summed(x: NDArray[np.complex128], y: NDArray[np.complex128]) -> NDArray[np.float64]:
        both = np.fft.irfft(np.conj(x) * y, size, axis=-1)
        return np.concatenate([both[..., size - most :], both[..., : most + 1]], axis=-1)

    x, known_x = _filled(one)
    y, known_y = _filled(others)
    fx, fkx, fxx = transformed(x), transformed(known_x), transformed(x * x)
    fy, fky, fyy = transformed(y), transformed(known_y), transformed(y * y)
    pairs = np.maximum(summed(fkx, fky), 1e-9)
    sx, sy = summed(fx, fky), summed(fkx, fy)
    sxx, syy, sxy = summed(fxx, fky), summed(fkx, fyy), summed(fx, fy)
    top = sxy - sx * sy / pairs
    below = (sxx - sx * sx / pairs) * (syy - sy * sy / pairs)
    with np.errstate(all="ignore"):
        found = top / np.sqrt(below)
    found[(pairs < _LEAST_COMMON * max(int(known_x.sum()), 1)) | ~np.isfinite(found) | (below < 1e-9)] = 0.0
    return found


def _filled(curve: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return a curve around its mean and over its spread, with 0 where it is not known, and where it is known."""
    known = np.isfinite(curve)
    count = np.maximum(known.sum(axis=-1, keepdims=True), 1)
    plain = np.where(known, curve, 0.0)
    apart = np.where(known, plain - plain.sum(axis=-1, keepdims=True) / count, 0.0)
    spread = np.sqrt((apart * apart).sum(axis=-1, keepdims=True) / count)
    return apart / np.where(spread > 0, spread, 1), known.astype(np.float64)


_COARSE = 384
_COARSE_LAGS = (-2, -1, 0, 1, 2)


def alike(curves: list[Curve], least: float, coarse: int = _COARSE) -> list[list[int]]:
    """Return for each curve the others that go along with it or against it, roughly, the likest first.

    Looked at in few points, since all are compared with all.
    """
    whole = np.stack([curve.values for curve in curves])
    width = max(whole.shape[1] // coarse, 1)
    used = whole.shape[1] // width * width
    parts = whole[:, :used].reshape(len(curves), -1, width)
    with np.errstate(all="ignore"):
        known = np.isfinite(parts)
        mean = np.where(known, parts, 0).sum(axis=2) / known.sum(axis=2)
    rough, _ = _filled(mean)
    length = np.sqrt((rough**2).sum(axis=1, keepdims=True))
    rough = rough / np.where(length > 0, length, 1)
    likeness = np.zeros((len(curves), len(curves)))
    for lag in _COARSE_LAGS:
        moved = np.roll(rough, lag, axis=1)
        likeness = np.maximum(likeness, np.abs(rough @ moved.T))
    np.fill_diagonal(likeness, 0)
    order = np.argsort(-likeness, axis=1)
    return [[other for other in row.tolist() if likeness[number, other] >= least] for number, row in enumerate(order)]
