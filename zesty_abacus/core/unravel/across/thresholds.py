"""Which states follow a threshold of a reference: on above a value of it, off below one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...progress import Progress
from ...values.reference import ReferenceColumn, values_at
from ...words import figure_text, span_text
from ..finding import Said
from .question import Answer, KindView, Question, View

_LAGS_NS = np.arange(0, 1_550_000_000, 50_000_000)
_LEAST_POINTS = 50
_LEAST_EACH = 3
"""How often a state has to go on, and off."""
_MOST_SHOWN = 0.35
"""Part of the readings that may lie between both thresholds, where the state may be either."""
_LEAST_AGREE = 0.98
_MOST_CHANCE = 1e-4
"""How many states may be expected to change by chance where the values of a reference are as near each other."""


@dataclass(frozen=True, slots=True)
class _Threshold:
    """How a state follows a reference.

    Attributes
    ----------
    is_above
        Whether the state is the larger one above the thresholds.
    on_at, off_at
        Values of the reference where the state goes to its larger value and back; the middle of all.
    ups, downs
        How often it goes there and back.
    agree, differ
        Readings outside of both thresholds with the state that is due there, and with the other one.
    chance
        How likely changes at any times would be as near each other.
    """

    lag_ns: int
    is_above: bool
    on_at: float
    off_at: float
    ups: int
    downs: int
    agree: int
    differ: int
    chance: float


@dataclass(frozen=True, slots=True, eq=False)
class _State:
    """A field of two values over time, as 0 and 1."""

    time_ns: NDArray[np.int64]
    is_on: NDArray[np.bool_]
    values: tuple[float, float]

    @property
    def changes_ns(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """When it goes on and when off: half way between the frames before and after."""
        there = np.flatnonzero(self.is_on[1:] != self.is_on[:-1])
        middle = (self.time_ns[there] + self.time_ns[there + 1]) // 2
        goes_on = self.is_on[there + 1]
        return middle[goes_on], middle[~goes_on]

    def at(self, times: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Return what it is at times; it holds until the next frame."""
        return self.is_on[np.maximum(np.searchsorted(self.time_ns, times, side="right") - 1, 0)]


def ask(view: View, progress: Progress) -> Iterator[Answer]:
    """Yield the states that follow a threshold of a reference."""
    if not any(len(one.values) >= _LEAST_POINTS for one in view.references):
        return
    states = [(kind, one, state) for kind in view.kinds for one, state in _states(kind)]
    asked = len(states) * len(view.references) * len(_LAGS_NS)
    for reference in view.references:
        if len(reference.values) < _LEAST_POINTS:
            continue
        for kind, one, state in states:
            progress.check()
            found = _followed(reference, state)
            if found is not None and found.chance * asked <= _MOST_CHANCE:
                yield kind, _said(reference, one, state, found)


def _states(kind: KindView) -> Iterator[tuple[Said, _State]]:
    for one in kind.fields(paged=True):
        if one.parameters["reading"] not in ("flag", "names"):
            continue
        values = kind.values(one)
        both = np.unique(values)
        if len(both) == 2:
            yield one, _State(kind.there(one).time_ns, values == both[1], (float(both[0]), float(both[1])))


def _followed(reference: ReferenceColumn, state: _State) -> _Threshold | None:
    """Return how a state follows a reference at the lag where its changes are nearest to one value, None if at none."""
    ups, downs = state.changes_ns
    ranks = np.sort(reference.values)
    best: _Threshold | None = None
    for lag in _LAGS_NS.tolist():
        on, off = (_values_then(reference, times - lag) for times in (ups, downs))
        if min(len(on), len(off)) < _LEAST_EACH:
            continue
        chance = _chance(ranks, on) * _chance(ranks, off)
        if best is None or chance < best.chance:
            made = _threshold(reference, state, lag, on, off, chance)
            best = made or best
    return best


def _values_then(reference: ReferenceColumn, times: NDArray[np.int64]) -> NDArray[np.float64]:
    inside = (times >= reference.time_ns[0]) & (times <= reference.time_ns[-1])
    return values_at(reference.time_ns, reference.values, times[inside])


def _chance(ranks: NDArray[np.float64], values: NDArray[np.float64]) -> float:
    """Return how likely values drawn from a reference lie as near each other.

    Of n values between 0 and 1 it is n w^(n-1) (1 - w) + w^n for a range w (David, *Order Statistics*, 2.3); ``w`` is
    the part of its readings between the least and the largest of them.
    """
    first, last = np.searchsorted(ranks, (values.min(), values.max()), side="left")
    width, count = (last - first + 1) / len(ranks), len(values)
    return float(count * width ** (count - 1) * (1 - width) + width**count)


def _side_by_side(reference: ReferenceColumn, state: _State, lag: int) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return the readings of a reference while there are frames, and whether the state is on that much later."""
    then = reference.time_ns + lag
    inside = (then >= state.time_ns[0]) & (then <= state.time_ns[-1])
    return reference.values[inside], state.at(then[inside])


def _threshold(
    reference: ReferenceColumn, state: _State, lag: int, on: NDArray[np.float64], off: NDArray[np.float64],
    chance: float,
) -> _Threshold | None:  # fmt: skip
    """Return what a state does outside of its thresholds at a lag; None if it does something else, too."""
    on_at, off_at = float(np.median(on)), float(np.median(off))
    values, is_on = _side_by_side(reference, state, lag)
    least, most = min(on.min(), off.min()), max(on.max(), off.max())
    above, below = values > most, values < least
    outside = int(above.sum() + below.sum())
    if outside < (1 - _MOST_SHOWN) * len(values) or not above.any() or not below.any():
        return None
    is_above = bool(is_on[above].mean() > is_on[below].mean())
    agree = int((is_on[above] == is_above).sum() + (is_on[below] != is_above).sum())
    if agree < _LEAST_AGREE * outside:
        return None
    return _Threshold(lag, is_above, on_at, off_at, len(on), len(off), agree, outside - agree, chance)


def _said(reference: ReferenceColumn, of: Said, state: _State, found: _Threshold) -> Said:
    low, high = state.values
    side, back = ("above", "below") if found.is_above else ("below", "above")
    lag = f", {span_text(found.lag_ns)} later" if found.lag_ns else ""
    reason = (
        f"It goes to {high:g} where {reference.name} comes to {figure_text(found.on_at)} from {back} "
        f"({found.ups} times) and back to {low:g} at {figure_text(found.off_at)} ({found.downs} times){lag}; away from "
        f"there it is {high:g} {side} and {low:g} {back} in {found.agree} of {found.agree + found.differ} readings."
    )
    return Said(
        kind="reference", bits=of.bits, frames=found.agree, against=found.differ, reason=reason, when=of.when,
        confidence=0.9 if not found.differ else 0.8,
        parameters=_line(reference, state, found) | {"on_at": found.on_at, "off_at": found.off_at},
    )  # fmt: skip


def _line(reference: ReferenceColumn, state: _State, found: _Threshold) -> dict[str, object]:
    """Return the line through what a reference is on the average in either state, as all that follows one has it."""
    values, is_on = _side_by_side(reference, state, found.lag_ns)
    low, high = state.values
    means = float(values[~is_on].mean()), float(values[is_on].mean())
    gain = (means[1] - means[0]) / (high - low)
    left = values - np.where(is_on, means[1], means[0])
    return {
        "file": reference.source, "column": reference.name, "gain": gain, "offset": means[0] - gain * low,
        "lag_s": found.lag_ns / 1e9, "error": float(np.sqrt((left**2).mean())),
        "correlation": float(np.corrcoef(values, is_on)[0, 1]),
    }  # fmt: skip


QUESTION = Question("what follows a threshold of a reference", frozenset({"reference"}), ask)
