"""Comparisons, and, or, not, and the choice between two values."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..operation import Operation, Result, and_known, in_one_type, known_in_all
from ..units import Powers, Side, compared, the_same


def _truth(function: Callable[..., NDArray]) -> Callable[[Sequence[Result]], Result]:
    def over(parts: Sequence[Result]) -> Result:
        truth = function(*[part.values for part in parts])
        return Result(truth.astype(np.int64), known_in_all(parts), (0, 1))

    return over


def _choose_exactly(
    condition: Callable[[], Fraction | None], yes: Callable[[], Fraction | None], no: Callable[[], Fraction | None]
) -> Fraction | None:
    holds = condition()
    if holds is None:
        return None
    return yes() if holds else no()


def _choose(parts: Sequence[Result]) -> Result:
    condition, yes, no = parts
    truth = condition.values != 0
    known = np.where(truth, yes.known_rows(), no.known_rows()) & condition.known_rows()
    whole = in_one_type([yes, no]) if yes.bounds is not None and no.bounds is not None else None
    if whole is not None and yes.bounds is not None and no.bounds is not None:
        bounds = min(yes.bounds[0], no.bounds[0]), max(yes.bounds[1], no.bounds[1])
        return Result(np.where(truth, *whole), and_known(None, known), bounds)
    values = np.where(truth, yes.values.astype(np.float64), no.values.astype(np.float64))
    return Result(values, and_known(None, known), None)


def _of_both_choices(sides: Sequence[Side]) -> Powers | None:
    return the_same(sides[1:])


OPERATIONS = (
    Operation("==", 2, lambda a, b: a == b, columns=_truth(np.equal), unit=compared, symbol="=="),
    Operation("!=", 2, lambda a, b: a != b, columns=_truth(np.not_equal), unit=compared, symbol="!="),
    Operation("<", 2, lambda a, b: a < b, columns=_truth(np.less), unit=compared, symbol="<"),
    Operation("<=", 2, lambda a, b: a <= b, columns=_truth(np.less_equal), unit=compared, symbol="<="),
    Operation(">", 2, lambda a, b: a > b, columns=_truth(np.greater), unit=compared, symbol=">"),
    Operation(">=", 2, lambda a, b: a >= b, columns=_truth(np.greater_equal), unit=compared, symbol=">="),
    Operation("and_", 2, lambda a, b: bool(a) and bool(b), columns=_truth(np.logical_and), symbol="and"),
    Operation("or_", 2, lambda a, b: bool(a) or bool(b), columns=_truth(np.logical_or), symbol="or"),
    Operation("not_", 1, lambda a: not a, columns=_truth(np.logical_not), symbol="not"),
    Operation("if", 3, _choose_exactly, columns=_choose, unit=_of_both_choices, is_lazy=True),
)
