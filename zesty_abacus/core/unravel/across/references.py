"""Which fields follow a reference: a curve of an instrument, or readings that were typed in."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...progress import Progress
from ...values.reference import ReferenceColumn, values_at
from ...words import added_words, known_to, span_text
from ..finding import Said
from ..numbers import NUMBERS
from .grid import Curve, Grid, correlations
from .question import Answer, Question, View

_MOST_LAG_NS = 3_000_000_000
_LEAST_CORRELATION = 0.9
_LEAST_POINTS = 12
_FEWEST_READINGS = 5
"""Readings that a person typed; so few tell no lag, and only what follows them closely is believed."""
_CLOSE = 0.03
"""What may be left of the reference, as a share of how much it moves, whatever it looks like."""
_LAG_STEP_NS, _LAG_STEPS = 50_000_000, 16
_NEARLY, _FEWEST_LAGS = 2.0, 5
"""What may be left at lags that are nearly as good, as a share of the least; how many of them are looked at."""
_MOST_STEEPER = 1.15
_MOST_REST = 0.5
_BLOCKS = 24
"""Stretches over which what is left is averaged."""
_MOST_SYSTEMATIC = 2.5
_STEP_LEFT = 0.3
"""Root mean square of what a number leaves of its last step (uniform, 1/sqrt 12)."""
_MOST_OF_SHAPE, _MOST_WITH_NOISE = 0.35, 0.5
_MORE_LEFT = 1.1
_CHANCE = 2
"""Standard errors within which an offset is none."""


@dataclass(frozen=True, slots=True)
class _Match:
    """How a field follows a reference."""

    lag_ns: int
    gain: float
    offset: float
    rest: float
    correlation: float
    points: int
    share: float
    systematic: float
    shape: float
    told_to: float = 0.0


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield the fields that follow references, of each reference the best first."""
    if not view.references:
        return
    grid = Grid.over(view.span_ns)
    curves = grid.curves(view, NUMBERS, 4, paged=True)
    if not curves:
        return
    others = np.stack([curve.values for curve in curves])
    for reference in view.references:
        progress.check()
        found = []
        if len(reference.values) < _LEAST_POINTS:
            found = list(_by_few(reference, curves))
        else:
            for curve, lag in _likely(grid, reference, curves, others):
                match = _match(reference, curve, lag)
                if match is not None:
                    found.append((curve, match))
        found = _as_good(found)
        found.sort(key=lambda pair: pair[1].share)
        for place, (curve, match) in enumerate(found):
            yield curve.of, _said(reference, curve.said, match, place)


def _by_few(reference: ReferenceColumn, curves: list[Curve]) -> Iterator[tuple[Curve, _Match]]:
    """Yield the fields that closely follow a few readings."""
    if len(reference.values) < _FEWEST_READINGS:
        return
    for curve in curves:
        times, values = curve.of.there(curve.said).time_ns, curve.of.values(curve.said)
        match = _fitted(reference, times, values, 0, _FEWEST_READINGS)
        if match is not None and match.share <= _CLOSE:
            yield curve, match


def _likely(
    grid: Grid, reference: ReferenceColumn, curves: list[Curve], others: NDArray[np.float64]
) -> Iterator[tuple[Curve, int]]:
    """Yield the fields that go along with a reference at all, and the lag at which they do."""
    own = values_at(reference.time_ns, reference.values, grid.time_ns)
    own[(grid.time_ns < reference.time_ns[0]) | (grid.time_ns > reference.time_ns[-1])] = np.nan
    if np.isfinite(own).sum() < _LEAST_POINTS:
        return
    most = int(_MOST_LAG_NS // grid.step_ns)
    table = np.abs(correlations(own, others, most))
    best = table.argmax(axis=1)
    for number, curve in enumerate(curves):
        if table[number, best[number]] >= _LEAST_CORRELATION - 0.05:
            yield curve, (int(best[number]) - most) * grid.step_ns


def _match(reference: ReferenceColumn, curve: Curve, lag_ns: int) -> _Match | None:
    """Return how a field follows a reference near a lag, None if it does not."""
    times, values = curve.of.there(curve.said).time_ns, curve.of.values(curve.said).astype(np.float64)
    tried = [lag_ns + step * _LAG_STEP_NS for step in range(-_LAG_STEPS, _LAG_STEPS + 1)]
    fits = [(lag, match.share) for lag in tried if (match := _fitted(reference, times, values, lag)) is not None]
    if not fits:
        return None
    best = _fitted(reference, times, values, _least(fits))
    if best is None:
        return None
    # what is left of slow curves that are alike and not the same goes its own way, and does not average out
    told_to = abs(best.gain) * _told_to(values)
    if best.systematic > max(_MOST_SYSTEMATIC * best.rest / np.sqrt(best.points / _BLOCKS), told_to):
        return None
    if not _follows_shape(best):
        # every slow curve is much the same as every other one
        return None
    return replace(_at_frames(reference, times, values, best), told_to=told_to)


def _follows_shape(match: _Match) -> bool:
    """Return whether what is left is little beside what the reference has of a shape of its own.

    Noise averages out over a stretch to a known part, which is in both and says nothing of either.
    """
    noise = match.rest**2 * _BLOCKS / match.points
    left, shape = max(match.systematic**2 - noise, 0.0), max(match.shape**2 - noise, 0.0)
    return left <= _MOST_OF_SHAPE**2 * shape and match.systematic <= _MOST_WITH_NOISE * match.shape


def _at_frames(
    reference: ReferenceColumn, times: NDArray[np.int64], values: NDArray[np.float64], match: _Match
) -> _Match:
    """Return a match with gain and offset as they are at the frames, where these are further apart than the readings.

    Between such frames a straight line cuts off what readings show, and how numbers are bent is no measure of noise.
    """
    when = times - match.lag_ns
    inside = (when >= reference.time_ns[0]) & (when <= reference.time_ns[-1])
    is_sparse = np.median(np.diff(times)) > np.median(np.diff(reference.time_ns))
    if not is_sparse or inside.sum() < _LEAST_POINTS or not values[inside].std():
        return match
    x, y = values[inside], values_at(reference.time_ns, reference.values, when[inside])
    gain, offset = _without_chance(x, y, float(np.polyfit(x, y, 1)[0]), match.rest)
    return replace(match, gain=gain, offset=offset)


def _told_to(values: NDArray[np.float64]) -> float:
    """Return how far numbers tell a quantity, between frames too: a part of a step, and what a straight line cuts off.

    Between points h apart a line is off by f'' h²/8 at most (Taylor), and numbers there are bent by f'' h².
    """
    bent = values[:-2] - 2 * values[1:-1] + values[2:]
    return _STEP_LEFT + float(np.sqrt((bent**2).mean())) / 6


def _least(fits: list[tuple[int, float]]) -> int:
    """Return the lag at which the least is left.

    Of a slow quantity with noise the least one tried is an accident of the noise: what is left grows with the square of
    the lag, so a parabola through those that are nearly as good tells it better.
    """
    lags, rests = np.array([lag for lag, _ in fits], np.float64), np.array([share**2 for _, share in fits])
    best = int(rests.argmin())
    near = np.flatnonzero(rests <= max(_NEARLY * rests[best], np.sort(rests)[min(_FEWEST_LAGS, len(rests)) - 1]))
    if len(near) < _FEWEST_LAGS:
        return round(lags[best])
    square, linear, _ = np.polyfit((lags[near] - lags[best]) / _LAG_STEP_NS, rests[near], 2)
    if square <= 0:
        return round(lags[best])
    vertex = lags[best] - linear / (2 * square) * _LAG_STEP_NS
    return round(float(np.clip(vertex, lags[near].min(), lags[near].max())))


def _fitted(
    reference: ReferenceColumn, times: NDArray[np.int64], values: NDArray[np.float64], lag: int,
    least: int = _LEAST_POINTS,
) -> _Match | None:  # fmt: skip
    when = reference.time_ns + lag
    inside = (when >= times[0]) & (when <= times[-1])
    if inside.sum() < least:
        return None
    x, y = values_at(times, values, when[inside]), reference.values[inside]
    spread = float(y.std())
    if not spread or not x.std():
        return None
    gain = float(np.polyfit(x - x.mean(), y, 1)[0])
    left = y - y.mean() - gain * (x - x.mean())
    share = float(left.std()) / spread
    correlation = float(np.sign(gain) * np.sqrt(max(1 - share**2, 0)))
    if abs(correlation) < _LEAST_CORRELATION or share > _MOST_REST:
        return None
    gain *= _steeper(x, values, float(left.var()) / gain**2)
    rest = float(np.sqrt((left**2).mean()))
    gain, offset = _without_chance(x, y, gain, rest)
    return _Match(lag, gain, offset, rest, correlation, len(y), share, _systematic(left), _shape(y))


def _without_chance(x: NDArray[np.float64], y: NDArray[np.float64], gain: float, rest: float) -> tuple[float, float]:
    """Return gain and offset of a line, through nothing where what is left does not tell that it has an offset.

    Most quantities have none, and far from where a number was seen a line turns by its errors.
    """
    offset = float(y.mean() - gain * x.mean())
    # the standard error of where a line of least squares crosses
    error = rest / math.sqrt(len(x)) * math.sqrt(1 + float(x.mean()) ** 2 / float(x.var()))
    return (float(x @ y / (x @ x)), 0.0) if abs(offset) <= _CHANCE * error else (gain, offset)


def _steeper(x: NDArray[np.float64], values: NDArray[np.float64], most: float) -> float:
    """Return by which factor a line through noisy numbers lies too flat (regression dilution).

    Parameters
    ----------
    values
        As they were sent; how much they are bent from one to the next is mostly noise.
    most
        The variance of noise that what is left of the reference allows.
    """
    bent = values[:-2] - 2 * values[1:-1] + values[2:]
    # bent noise has six times its variance; between two frames noise is averaged, to two thirds
    noise = min(float(bent.var()) / 6 * 2 / 3, most)
    return 1 / max(1 - noise / float(x.var()), 1 / _MOST_STEEPER)


def _systematic(left: NDArray[np.float64]) -> float:
    """Return how far what is left is off on the average of stretches; of noise hardly at all."""
    used = len(left) // _BLOCKS * _BLOCKS
    if not used:
        return 0.0
    return float(left[:used].reshape(_BLOCKS, -1).mean(axis=1).std())


def _shape(values: NDArray[np.float64]) -> float:
    """Return how much a curve has beside a slow bend, on the average of stretches: another one has to have it, too."""
    time = np.linspace(-1, 1, len(values))
    return _systematic(values - np.polyval(np.polyfit(time, values, 3), time))


def _as_good(found: list[tuple[Curve, _Match]]) -> list[tuple[Curve, _Match]]:
    """Return those that follow a reference as well as the best one does.

    The noise of the reference is left by all that follow it; what one leaves besides is what its steps cannot tell.
    """
    if not found:
        return found
    best = min(match.rest for _, match in found)
    return [
        (curve, match) for curve, match in found
        if match.rest**2 <= _MORE_LEFT * best**2 + 1.5 * match.told_to**2
    ]  # fmt: skip


def _said(reference: ReferenceColumn, of: Said, match: _Match, place: int) -> Said:
    lag = "" if abs(match.lag_ns) < 30_000_000 else (
        f", {span_text(abs(match.lag_ns))} {'later' if match.lag_ns > 0 else 'earlier'}"
    )  # fmt: skip
    # standard errors of a line of least squares; digits beyond them say nothing and hide the round number meant
    mean_error = match.rest / math.sqrt(match.points)
    gain = known_to(match.gain, abs(match.gain) * match.share / math.sqrt(match.points))
    # nor does an offset below a hundredth of a step: it is what the fit is off
    offset = match.offset if abs(match.offset) > max(mean_error, abs(match.gain) / 100) else 0.0
    plus = added_words(offset, lambda value: known_to(value, mean_error))
    reason = (
        f"{reference.name} is the number times {gain}{plus}{lag}, with a "
        f"correlation of {match.correlation:.4f} over {match.points} readings and an error of "
        f"{known_to(match.rest, match.rest / 10)}."
    )
    return Said(
        kind="reference", bits=of.bits, frames=match.points, reason=reason, when=of.when,
        confidence=float(np.clip(0.97 - match.share / 2 - 0.01 * place, 0.5, 0.97)),
        parameters={
            "file": reference.source, "column": reference.name, "gain": match.gain, "offset": match.offset,
            "lag_s": match.lag_ns / 1e9, "error": match.rest, "correlation": match.correlation,
        },
    )  # fmt: skip


QUESTION = Question("what follows a reference", frozenset({"reference"}), ask)
