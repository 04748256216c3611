"""Which fields say the same: in another message, on another lane, in another scale, a little later."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from ...ahead import Ahead
from ...compiled import njit
from ...progress import Progress
from ...words import added_words, figure_text, span_text
from ..finding import Said
from ..numbers import NUMBERS
from .grid import Curve, Grid, alike, correlations
from .question import Answer, Question, View

_MOST_LAG_NS = 1_500_000_000
_LEAST_CORRELATION = 0.995
_ROUGHLY = 0.9
_MOST_TRIED = 8
"""Others that are compared closely with a field, the likest first."""
_LEAST_CHANGES = 5
_LEAST_KNOWN = 20
_STEPS_OFF = 1.6
"""By how many steps of the coarser of two numbers they may be apart."""


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield for each field the one elsewhere that it follows best."""
    grid = Grid.over(view.span_ns)
    yield from _numbers(grid, grid.curves(view, NUMBERS, 8), progress)
    yield from _states(grid, grid.curves(view, ("flag", "names"), 2), progress)


def _numbers(grid: Grid, curves: list[Curve], progress: Progress) -> Iterator[Answer]:
    if len(curves) < 2:
        return
    near = [(curve, others[:_MOST_TRIED]) for curve, others in zip(curves, alike(curves, _ROUGHLY), strict=True)]

    def looked_at(one: tuple[Curve, list[int]]) -> Answer | None:
        progress.check()
        return _of_number(grid, one[0], [curves[other] for other in one[1]])

    for answer in Ahead([one for one in near if one[1]], looked_at):
        if answer is not None:
            yield answer


def _of_number(grid: Grid, curve: Curve, others: Sequence[Curve]) -> Answer | None:
    most = int(_MOST_LAG_NS // grid.step_ns)
    table = correlations(curve.values, np.stack([other.values for other in others]), most)
    for place in np.argsort(-np.abs(table).max(axis=1)).tolist():
        if np.abs(table[place]).max() < _LEAST_CORRELATION:
            break
        lag = int(np.abs(table[place]).argmax()) - most
        # the other is later by the lag, so this one is earlier
        found = _fitted(grid, curve, others[place], -lag)
        if found is not None:
            return curve.of, found
    return None


def _moved(values: NDArray[np.float64], steps: int) -> NDArray[np.float64]:
    """Return a curve some steps later, NaN where nothing is known."""
    made = np.full(len(values), np.nan)
    if steps >= 0:
        made[steps:] = values[: len(values) - steps]
    else:
        made[:steps] = values[-steps:]
    return made


def _fitted(grid: Grid, curve: Curve, other: Curve, lag: int) -> Said | None:
    """Return how a field follows another that many steps later, None if it does not."""
    x, y = _moved(other.values, lag), curve.values
    known = np.isfinite(x) & np.isfinite(y)
    if known.sum() < _LEAST_KNOWN:
        return None
    x, y = x[known], y[known]
    gain, offset = np.polyfit(x, y, 1)
    left = np.abs(y - gain * x - offset)
    # in steps of the coarser of the two; what moves between two frames is not known to a step
    step = max(1.0, abs(gain))
    blur = float(np.median(np.abs(np.diff(y)))) * 2
    if np.quantile(left, 0.9) > _STEPS_OFF * step + blur or not np.isfinite(gain):
        return None
    correlation = float(np.corrcoef(x, y)[0, 1])
    seconds = lag * grid.step_ns / 1e9
    return _said(curve, other, _whole(gain), _whole(offset), seconds, int(known.sum()), correlation)


def _whole(fitted: float) -> float:
    """Return a fitted number, without the last digits that arithmetic leaves where it is a whole one."""
    whole = round(float(fitted))
    return float(whole) if abs(fitted - whole) < 1e-9 * max(abs(whole), 1) else float(fitted)


def _states(grid: Grid, curves: list[Curve], progress: Progress) -> Iterator[Answer]:
    """Yield states that change together and always have the same value, or the opposite one."""
    if len(curves) < 2:
        return
    filled = np.stack([np.where(np.isfinite(one.values), one.values, -1) for one in curves])
    changes = (filled[:, 1:] != filled[:, :-1]).sum(axis=1)
    most = int(500_000_000 // grid.step_ns)
    near = alike(curves, _ROUGHLY, len(grid.time_ns))
    for number, curve in enumerate(curves):
        progress.check()
        if changes[number] < _LEAST_CHANGES:
            continue
        best: tuple[float, Said] | None = None
        for other in near[number][:_MOST_TRIED]:
            if abs(int(changes[other]) - int(changes[number])) > 1 or curves[other].of is curve.of:
                continue
            for gain, offset in ((1, 0), (-1, 1)):
                found = _alike(grid, curve, curves[other], gain, offset, most)
                if found is not None and (best is None or found[0] > best[0]):
                    best = found
        if best is not None:
            yield curve.of, best[1]


def _alike(grid: Grid, curve: Curve, other: Curve, gain: int, offset: int, most: int) -> tuple[float, Said] | None:
    best_share, best_lag = 0.0, 0
    for lag, share in enumerate(_shares(curve.values, other.values, gain, offset, most).tolist(), -most):
        if share > best_share + 1e-9 or (share > best_share - 1e-9 and abs(lag) < abs(best_lag)):
            best_share, best_lag = share, lag
    if best_share < 0.97:
        return None
    seconds = best_lag * grid.step_ns / 1e9
    return best_share, _said(curve, other, gain, offset, seconds, int(np.isfinite(curve.values).sum()), best_share)


@njit(cache=True, nogil=True)
def _shares(values, other, gain, offset, most):  # type: ignore[no-untyped-def]
    """Return at which part of the times values are those of another curve so many steps later; float64 (2 * most + 1,).

    Zero where both are known at fewer than 20 times.
    """
    count = len(values)
    shares = np.zeros(2 * most + 1)
    for lag in range(-most, most + 1):
        known = 0
        same = 0
        for place in range(max(lag, 0), count + min(lag, 0)):
            theirs = other[place - lag]
            if np.isfinite(theirs) and np.isfinite(values[place]):
                known += 1
                same += values[place] == gain * theirs + offset
        if known >= _LEAST_KNOWN:
            shares[lag + most] = same / known
    return shares


def _said(curve: Curve, other: Curve, gain: float, offset: float, lag_s: float, points: int, alike: float) -> Said:
    where = "" if other.of is curve.of else f" of {other.of.message or hex(other.of.address)} on {other.of.lane}"
    lag = f", {span_text(round(abs(lag_s) * 1e9))} {'later' if lag_s > 0 else 'earlier'}" if lag_s else ""
    times = "the same as" if (gain, offset) == (1, 0) else f"{figure_text(gain)} times"
    plus = added_words(offset, figure_text)
    reason = f"It is {times} {other.said.places}{where}{plus}{lag}, at {points} times, with a likeness of {alike:.4f}."
    return Said(
        kind="mirror", bits=curve.said.bits, frames=points, confidence=min(0.93, alike), reason=reason,
        parameters={
            "of": other.of.named() | {"places": other.said.places}, "gain": gain, "offset": offset, "lag_s": lag_s,
        },
    )  # fmt: skip


QUESTION = Question("which fields say the same", frozenset({"mirror"}), ask)
