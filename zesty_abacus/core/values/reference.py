"""How a field compares with a reference: which lags, by which scale and offset they agree, and how well."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..expressions.quantities import converted, scale_of
from ..words import figure_text, span_text

_GRID = 4096
"""Points that both are looked at in, to find the lag."""
_LEAST_POINTS = 8
_MOST_LAG = 0.25
"""Part of the common time by which one may lag."""
_WELL, _SOMEHOW = 0.98, 0.8
_SAME_SCALE = 0.02
_NOTHING, _EXPLAINS = 1e-5, 0.8
_STEPS = 16
_NEAR = 60
"""Points of the grid around the likeliest lag that are tried one by one."""


@dataclass(frozen=True, slots=True, eq=False)
class ReferenceColumn:
    """What an instrument said.

    Attributes
    ----------
    source
        File, or empty for readings that a person typed.
    name
    unit
        Empty where it is not known.
    time_ns : int64 (n,)
        On the capture's clock.
    values : float64 (n,)
    """

    source: str
    name: str
    unit: str
    time_ns: NDArray[np.int64]
    values: NDArray[np.float64]

    @property
    def key(self) -> tuple[str, str]:
        """What it is known by: file and column."""
        return self.source, self.name

    def in_unit(self, unit: str) -> ReferenceColumn:
        """Return it in another unit, as it is where that is another quantity or one is not known."""
        ours, theirs = scale_of(self.unit), scale_of(unit)
        if not self.unit or not unit or self.unit == unit or ours is None or theirs is None or ours.base != theirs.base:
            return self
        zero = converted(Fraction(0), self.unit, unit)
        factor = converted(Fraction(1), self.unit, unit) - zero
        values = self.values * float(factor) + float(zero)
        return ReferenceColumn(self.source, self.name, unit, self.time_ns, values)


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """How a field compares with a reference.

    Attributes
    ----------
    points
        How many readings of the reference lie within the time of the field.
    mean, most
        Their difference as they stand: on the average of sizes, and at most. The field is taken where it was read.
    most_ns
        Where it is largest.
    correlation
        As they stand, -1 to 1; NaN where one of them does not change.
    lag_ns
        By how much the field is later than the reference, where they agree best.
    best_correlation
        With that lag.
    scale, offset
        ``reference = field * scale + offset`` with that lag, by least squares.
    rest
        Standard deviation of what is left then.
    span
        From the least to the largest reading.
    """

    points: int
    mean: float
    most: float
    most_ns: int
    correlation: float
    lag_ns: int
    best_correlation: float
    scale: float
    offset: float
    rest: float
    span: float

    @property
    def holds(self) -> bool:
        """Whether the reference bears the field out as it stands."""
        return self.best_correlation >= _WELL and abs(self.scale - 1) <= _SAME_SCALE

    def words(self, name: str, unit: str) -> str:
        """Say it in a sentence."""
        unit = f" {unit}" if unit else ""
        if self.points < _LEAST_POINTS:
            few = f"{name} has {self.points} readings here; that is too few to say more than"
            return f"{few} {_number(self.most)}{unit} apart at most."
        if not abs(self.best_correlation) >= _SOMEHOW:
            return f"{name} has nothing to do with it (correlation {self.best_correlation:.2f})."
        lag = ""
        if self.lag_ns:
            lag = f", {span_text(abs(self.lag_ns))} {'later' if self.lag_ns > 0 else 'earlier'}"
        how = "agrees with" if abs(self.best_correlation) >= _WELL else "goes along with"
        if abs(self.scale - 1) <= _SAME_SCALE and abs(self.offset) <= max(4 * self.rest, _SAME_SCALE * self.span):
            return (
                f"{how} {name}: {_number(self.mean)}{unit} apart on average, {_number(self.most)}{unit} at most{lag}."
            )
        sign = "−" if self.offset < 0 else "+"
        return (
            f"{how} {name} as {_number(self.scale)} × it {sign} {_number(abs(self.offset))}{lag} "
            f"(correlation {self.best_correlation:.3f})."
        )


def _number(value: float) -> str:
    return figure_text(float(f"{value:.3g}"))


def fit(time_ns: NDArray[np.int64], values: NDArray[np.float64], reference: ReferenceColumn) -> Fit | None:
    """Return how a field compares with a reference; None if they have no time in common.

    Parameters
    ----------
    time_ns : int64 (n,)
        In order.
    values : float64 (n,)
        NaN where there is none.
    """
    known = np.flatnonzero(~np.isnan(values))
    told = np.flatnonzero(~np.isnan(reference.values))
    if len(known) < 2 or not len(told):
        return None
    own_times, own = time_ns[known], values[known]
    times, theirs = reference.time_ns[told], reference.values[told]
    inside = (times >= own_times[0]) & (times <= own_times[-1])
    times, theirs = times[inside], theirs[inside]
    if not len(times):
        return None
    apart = np.abs(values_at(own_times, own, times) - theirs)
    worst = int(np.argmax(apart))
    correlation = _correlation(values_at(own_times, own, times), theirs)
    lag = _lag(own_times, own, times, theirs) if len(times) >= _LEAST_POINTS else 0
    late = times + lag
    usable = (late >= own_times[0]) & (late <= own_times[-1])
    ours = values_at(own_times, own, late[usable])
    scale, offset = _line(ours, theirs[usable])
    rest = theirs[usable] - (ours * scale + offset)
    return Fit(
        len(times), float(apart.mean()), float(apart[worst]), int(times[worst]), correlation, lag,
        _correlation(ours, theirs[usable]), scale, offset, float(rest.std()) if len(rest) else 0.0,
        float(theirs.max() - theirs.min()),
    )  # fmt: skip


def values_at(times: NDArray[np.int64], values: NDArray[np.float64], wanted: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return a curve at other times, straight lines between its points, held at its ends; float64 (len(wanted),)."""
    # from one time on: nanoseconds since 1970 are more than a float tells apart
    return np.interp((wanted - times[0]).astype(np.float64), (times - times[0]).astype(np.float64), values)


def _correlation(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    if len(one) < 2 or not one.std() or not other.std():
        return float("nan")
    return float(np.corrcoef(one, other)[0, 1])


def _line(ours: NDArray[np.float64], theirs: NDArray[np.float64]) -> tuple[float, float]:
    if len(ours) < 2 or not ours.std():
        return 1.0, float(theirs.mean() - ours.mean()) if len(ours) else 0.0
    scale, offset = np.polyfit(ours, theirs, 1)
    return float(scale), float(offset)


def _lag(
    own_times: NDArray[np.int64], own: NDArray[np.float64], times: NDArray[np.int64], theirs: NDArray[np.float64]
) -> int:
    """Return by how much the field is later, where both are most alike; 0 where that hardly makes a difference."""
    first, last = int(times[0]), int(times[-1])
    if last <= first:
        return 0
    grid = first + (np.arange(_GRID) * ((last - first) / (_GRID - 1))).astype(np.int64)
    one, other = values_at(own_times, own, grid), values_at(times, theirs, grid)
    one, other = one - one.mean(), other - other.mean()
    if not one.any() or not other.any():
        return 0
    # by the convolution theorem, padded so that nothing comes round from the other end
    spectrum = np.fft.rfft(one, 2 * _GRID) * np.conj(np.fft.rfft(other, 2 * _GRID))
    likeness = np.fft.irfft(spectrum)
    most = int(_GRID * _MOST_LAG)
    shifts = np.concatenate([np.arange(most + 1), np.arange(-most, 0)])
    # what overlaps less has fewer terms in its sum
    weighted = likeness[shifts] / (_GRID - np.abs(shifts))
    step = (last - first) / (_GRID - 1)

    def likest(coarse: float, reach: float, steps: int, sign: int) -> tuple[float, float]:
        tried = coarse + np.linspace(-reach, reach, 2 * steps + 1)
        found = [(sign * _correlation(*_shifted(own_times, own, times, theirs, round(lag))), lag) for lag in tried]
        return max((pair for pair in found if not np.isnan(pair[0])), default=(-1.0, 0.0))

    # the grid draws straight lines between readings, which moves its maximum: the readings themselves decide
    best = -1.0, 0.0
    for sign in (1, -1):
        coarse = float(shifts[int(np.argmax(sign * weighted))]) * step
        _, coarse = likest(coarse, _NEAR * step, _NEAR, sign)
        found = likest(coarse, 1.5 * step, _STEPS, sign)
        # turned round only where that is clearly what it is
        best = found if found[0] > best[0] + (0.0 if sign > 0 else 1 - _WELL) else best
    still = abs(_correlation(*_shifted(own_times, own, times, theirs, 0)))
    still = still if not np.isnan(still) else -1.0
    # a lag is told where it explains a good part of what does not agree without it
    explains = best[0] - still > _NOTHING and 1 - best[0] < _EXPLAINS * (1 - still)
    return round(best[1]) if explains else 0


def _shifted(
    own_times: NDArray[np.int64], own: NDArray[np.float64], times: NDArray[np.int64], theirs: NDArray[np.float64],
    lag: int,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    late = times + lag
    usable = (late >= own_times[0]) & (late <= own_times[-1])
    return values_at(own_times, own, late[usable]), theirs[usable]
