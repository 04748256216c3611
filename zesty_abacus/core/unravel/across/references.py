"""Which fields follow a reference: a curve of an instrument, or readings that were typed in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...progress import Progress
from ...values.reference import ReferenceColumn
from ...words import number_text, span_text
from ..finding import Said
from .grid import Curve, Grid, correlations
from .question import Answer, Question, View

_MOST_LAG_NS = 3_000_000_000
_LEAST_CORRELATION = 0.9
_LEAST_POINTS = 12
_FEWEST_READINGS = 5
"""Readings that a person typed; so few tell no lag, and only what follows them closely is believed."""
_CLOSE = 0.03
"""What may be left of the reference, as a share of how much it moves, whatever it looks like."""
_MOST_REST = 0.5
_MOST_ALIKE = 0.4
"""How much what is left may go along with what was left just before: noise does not, another quantity does."""


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


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield the fields that follow references, of each reference the best first."""
    if not view.references:
        return
    grid = Grid.over(view.span_ns)
    curves = grid.curves(view, ("unsigned", "signed", "float"), 4)
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
        found.sort(key=lambda pair: pair[1].share)
        for place, (curve, match) in enumerate(found):
            yield curve.of, _said(reference, curve.said, match, place)


def _by_few(reference: ReferenceColumn, curves: list[Curve]) -> Iterator[tuple[Curve, _Match]]:
    """Yield the fields that closely follow a few readings."""
    if len(reference.values) < _FEWEST_READINGS:
        return
    for curve in curves:
        times, values = curve.of.thin.time_ns, curve.of.values(curve.said)
        match = _fitted(reference, times, values, 0, _FEWEST_READINGS)
        if match is not None and match.share <= _CLOSE:
            yield curve, match


def _likely(
    grid: Grid, reference: ReferenceColumn, curves: list[Curve], others: NDArray[np.float64]
) -> Iterator[tuple[Curve, int]]:
    """Yield the fields that go along with a reference at all, and the lag at which they do."""
    own = np.interp(grid.time_ns, reference.time_ns, reference.values)
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
    times, values = curve.of.thin.time_ns, curve.of.values(curve.said).astype(np.float64)
    best: _Match | None = None
    step = 20_000_000
    for lag in range(lag_ns - 100_000_000, lag_ns + 100_000_001, step):
        match = _fitted(reference, times, values, lag)
        if match is not None and (best is None or match.share < best.share):
            best = match
    return best


def _fitted(
    reference: ReferenceColumn, times: NDArray[np.int64], values: NDArray[np.float64], lag: int,
    least: int = _LEAST_POINTS,
) -> _Match | None:  # fmt: skip
    when = reference.time_ns + lag
    inside = (when >= times[0]) & (when <= times[-1])
    if inside.sum() < least:
        return None
    x, y = np.interp(when[inside], times, values), reference.values[inside]
    spread = float(y.std())
    if not spread or not x.std():
        return None
    gain, offset = np.polyfit(x - x.mean(), y, 1)
    left = y - (gain * (x - x.mean()) + offset)
    share = float(left.std()) / spread
    correlation = float(np.sign(gain) * np.sqrt(max(1 - share**2, 0)))
    if abs(correlation) < _LEAST_CORRELATION or share > _MOST_REST:
        return None
    if share > _CLOSE and _goes_on(left) > _MOST_ALIKE:
        # what is left goes its own way, so the two are alike and not the same
        return None
    offset -= gain * float(x.mean())
    return _Match(lag, float(gain), float(offset), float(np.sqrt((left**2).mean())), correlation, len(y), share)


def _goes_on(left: NDArray[np.float64]) -> float:
    """Return the correlation of each rest with the one before it."""
    left = left - left.mean()
    total = float((left**2).sum())
    return float((left[1:] * left[:-1]).sum()) / total if total else 0.0


def _said(reference: ReferenceColumn, of: Said, match: _Match, place: int) -> Said:
    lag = "" if abs(match.lag_ns) < 30_000_000 else (
        f", {span_text(abs(match.lag_ns))} {'later' if match.lag_ns > 0 else 'earlier'}"
    )  # fmt: skip
    reason = (
        f"{reference.name} is the number times {number_text(match.gain)} plus {number_text(match.offset)}{lag}, with a "
        f"correlation of {match.correlation:.4f} over {match.points} readings and an error of "
        f"{number_text(match.rest)}."
    )
    return Said(
        kind="reference", bits=of.bits, frames=match.points, reason=reason, instead_of=False,
        confidence=float(np.clip(0.97 - match.share / 2 - 0.01 * place, 0.5, 0.97)),
        parameters={
            "file": reference.source, "column": reference.name, "gain": match.gain, "offset": match.offset,
            "lag_s": match.lag_ns / 1e9, "error": match.rest, "correlation": match.correlation,
        },
    )  # fmt: skip


QUESTION = Question("what follows a reference", frozenset({"reference"}), ask)
