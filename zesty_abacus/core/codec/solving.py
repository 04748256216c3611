"""Which raw value of a field lets an expression say what is wanted: a count, a length, where a part begins."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from fractions import Fraction

from ..expressions.exactly import evaluate_exactly
from ..expressions.expression import Expression
from ..expressions.tree import ExpressionError
from ..layouts.model import Field
from .scalar import physical_of

Known = dict[str, Fraction | None]
_At = Callable[[int], Fraction | None]

_MOST_TRIED = 256
"""Values of a field that are all tried where nothing quicker finds one: those of a byte."""


def raw_giving(
    expression: Expression, field: Field, wanted: int, known: Known, raws: dict[str, int], *, at_least: bool = False
) -> int | None:
    """Return the raw value with which an expression gives a number, None if none is found.

    Expressions that are linear, that rise or fall all along (``length // 2``, ``(n + 3) // 4``) or that keep the
    number as it is (``n & 0x3F``) are solved for fields of any width, others for fields of up to 8 bits. Of several
    values the one found first is taken, of those that rise the lowest.

    Parameters
    ----------
    field
        The one that is named in the expression and may be set.
    known, raws
        Values and raw numbers of all that is named, by name.
    at_least
        Whether the next larger number that the field can reach is as good.
    """

    def at(raw: int) -> Fraction | None:
        try:
            tried = known | {field.name: physical_of(field, raw)}
            return evaluate_exactly(expression, tried, raws | {field.name: raw})
        except ExpressionError:
            return None

    low, high = field.raw_range()
    for raw in _candidates(at, wanted, low, high, at_least=at_least):
        reached = at(raw) if low <= raw <= high else None
        if reached is not None and (reached == wanted or (at_least and reached >= wanted)):
            return raw
    return None


def _candidates(at: _At, wanted: int, low: int, high: int, *, at_least: bool) -> Iterator[int]:
    zero, one = at(0), at(1)
    if zero is not None and one is not None and zero != one:
        exact = (wanted - zero) / (one - zero)
        yield math.ceil(exact) if at_least else round(exact)
    yield _where_it_gets_there(at, wanted, low, high)
    yield wanted
    if high - low < _MOST_TRIED:
        yield from range(low, high + 1)


def _where_it_gets_there(at: _At, wanted: int, low: int, high: int) -> int:
    """Return the lowest raw value that reaches a number, of what rises or falls all along between two values."""
    first, last = at(low), at(high)
    falls = first is not None and last is not None and last < first
    while low < high:
        middle = (low + high) // 2
        value = at(middle)
        if value is not None and (value <= wanted if falls else value >= wanted):
            high = middle
        else:
            low = middle + 1
    return low
