"""Conditions about values: comparisons, names of values, changes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..expressions.operation import known_in_all
from ..layouts.fields import NO_BITS, Field, FieldKind
from .rows import Rows
from .term import Term, Truth
from .values import DECODED, FieldValue, Literal, Value, into_unit, is_bare

COMPARISONS: dict[str, tuple[Callable[..., NDArray], str]] = {
    "==": (np.equal, "is"),
    "!=": (np.not_equal, "is not"),
    "<": (np.less, "is below"),
    "<=": (np.less_equal, "is at most"),
    ">": (np.greater, "is above"),
    ">=": (np.greater_equal, "is at least"),
}


@dataclass(eq=False)
class Compared(Term):
    """A comparison of two numbers; it holds only where both are known."""

    symbol: str
    left: Value
    right: Value

    def __post_init__(self) -> None:
        self.cost = max(self.left.cost, self.right.cost)

    def over(self, rows: Rows) -> Truth:
        left, right = self.left.over(rows), self.right.over(rows)
        layout = rows.layout
        if is_bare(self.left) or is_bare(self.right):
            # a number without a unit is in the unit of the other side
            pass
        elif not isinstance(self.left, Literal):
            right = into_unit(self.right, right, self.left.unit(layout), layout)
        else:
            left = into_unit(self.left, left, self.right.unit(layout), layout)
        known = known_in_all([left, right])
        holds = COMPARISONS[self.symbol][0](left.values, right.values)
        return holds if known is None else holds & known

    def clause(self) -> str:
        """Return the comparison alone."""
        return f"{self.left.words()} {COMPARISONS[self.symbol][1]} {self.right.words()}"

    def words(self) -> str:
        return f"where {self.clause()}"

    def values(self) -> Iterator[Value]:
        yield self.left
        yield self.right


@dataclass(eq=False)
class IsTrue(Term):
    """Holds where a number is known and not zero."""

    value: Value

    def __post_init__(self) -> None:
        self.cost = self.value.cost

    def over(self, rows: Rows) -> Truth:
        found = self.value.over(rows)
        return (found.values != 0) & found.known_rows()

    def words(self) -> str:
        return f"where {self.value.words()} is not zero"

    def values(self) -> Iterator[Value]:
        yield self.value


def _has_bit(field: Field, column: FieldColumn, name: str) -> NDArray[np.bool_]:
    """Return in which rows the bit with a name is set, among others or alone; ``none`` is where no bit is."""
    assert column.raw is not None, "named bits are a number"
    if name == NO_BITS:
        return np.asarray(column.raw == 0)
    bit = next((named.raw for named in field.names if named.label == name), None)
    return (
        np.zeros(len(column), np.bool_)
        if bit is None
        else np.asarray(column.raw >> column.raw.dtype.type(bit) & 1, bool)
    )


@dataclass(eq=False)
class Labelled(Term):
    """Compares a field with the name of one of its values, or with a text; a set of bits is what is in it."""

    field: FieldValue
    text: str
    equal: bool
    cost: int = DECODED

    def over(self, rows: Rows) -> Truth:
        found = self.field.column(rows)
        if found is None:
            return False
        field, column = found
        if column.content is not None:
            texts, which = column.distinct_texts(np.arange(len(rows)))
            same = np.array([text == self.text for text in texts], np.bool_)[which]
        elif field.kind is FieldKind.BITS:
            same = _has_bit(field, column, self.text)
        else:
            assert column.raw is not None, "named values are a number"
            # a message that knows no such name cannot be it, and is something else
            same = np.zeros(len(rows), np.bool_)
            for named in field.called:
                if named.label == self.text:
                    same |= (named.raw <= column.raw) & (column.raw <= named.last)
        return (same if self.equal else ~same) & column.has_value

    def words(self) -> str:
        return f"where {self.field.words()} {'is' if self.equal else 'is not'} “{self.text}”"

    def values(self) -> Iterator[Value]:
        yield self.field


class Moved(Term):
    """Compares a value with the newest earlier one of the same kind that was good."""

    remembers = True

    def __init__(self, how: str, value: Value, level: Value | None = None) -> None:
        self.how = how
        self.value = value
        self.level = level
        self.cost = DECODED

    def over(self, rows: Rows) -> Truth:
        now = self.value.over(rows)
        known = now.known_rows()
        holds = np.zeros(len(rows), np.bool_)
        places = np.flatnonzero(known)
        if not len(places):
            return holds
        values = now.values[places]
        before = rows.memory.get(self)
        earlier = np.empty_like(values)
        earlier[1:] = values[:-1]
        has_earlier = np.ones(len(values), np.bool_)
        has_earlier[0] = before is not None
        earlier[0] = values[0] if before is None else before
        rows.memory[self] = values[-1]
        holds[places] = self._holds(earlier, values, rows) & has_earlier
        return holds

    def _holds(self, earlier: NDArray, values: NDArray, rows: Rows) -> NDArray[np.bool_]:
        if self.how == "changes":
            return earlier != values
        if self.how == "rises":
            return values > earlier
        if self.how == "falls":
            return values < earlier
        assert self.level is not None
        level = into_unit(self.level, self.level.over(rows), self.value.unit(rows.layout), rows.layout).values[0]
        return ((earlier < level) & (values >= level)) | ((earlier > level) & (values <= level))

    def words(self) -> str:
        level = f" {self.level.words()}" if self.level is not None else ""
        return f"where {self.value.words()} {self.how}{level}"

    def values(self) -> Iterator[Value]:
        yield self.value
        if self.level is not None:
            yield self.level
