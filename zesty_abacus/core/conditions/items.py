"""Fields that are there several times in a frame: asked of any item, or of one by its number."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Self

import numpy as np

from ..codec.columns import FieldColumn
from ..layouts.model import Field, Layout
from .rows import Rows, inside_arrays
from .term import Term, Truth
from .values import FieldValue, Value, all_values

_ONE_ITEM = re.compile(r"(?P<array>.+?)(?P<numbers>(?:\[\d+\])+)\.(?P<field>.+)")


@dataclass(frozen=True, eq=False)
class EachItem(FieldValue):
    """A field inside an array; a value an item, so it is asked within :class:`InAnyItem` only."""

    def among(self, layout: Layout) -> Iterable[Field]:
        return inside_arrays(layout)


@dataclass(frozen=True, eq=False)
class OneItem(FieldValue):
    """A field of one item of an array, written as tables name it: ``cells[3].voltage``.

    Attributes
    ----------
    array
        The name of the array.
    numbers
        Of the item, after those of the items around it.
    """

    array: str = ""
    numbers: tuple[int, ...] = field(default=())

    @classmethod
    def written(cls, name: str, message: str | None) -> Self | None:
        """Return the item that a name means, None if it means none."""
        found = _ONE_ITEM.fullmatch(name)
        if found is None:
            return None
        numbers = tuple(int(number) for number in re.findall(r"\d+", found["numbers"]))
        return cls(found["field"], message, array=found["array"], numbers=numbers)

    def among(self, layout: Layout) -> Iterable[Field]:
        return inside_arrays(layout)

    def column(self, rows: Rows) -> tuple[Field, FieldColumn] | None:
        array = rows.array_with([self.name], self.message)
        if array is None or array.name != self.array or array.index.shape[1] != len(self.numbers):
            return None
        here = np.flatnonzero((array.index == np.array(self.numbers)).all(axis=1))
        column = next(one for one in array.columns.values() if one.field.name == self.name)
        return column.field, column.take(here).spread(array.frame[here], len(rows))

    def words(self) -> str:
        numbers = " of ".join(str(number) for number in reversed(self.numbers))
        raw = "the bits of " if self.wants_raw else ""
        return f"{raw}{self.name} of {self.array} {numbers}" + (f" of {self.message}" if self.message else "")


class InAnyItem(Term):
    """Holds in a frame where a condition holds of at least one item of an array."""

    def __init__(self, term: Term, items: list[EachItem]) -> None:
        self._term = term
        self._names = [one.name for one in items]
        self._message = next((one.message for one in items if one.message), None)
        self.cost = term.cost

    def over(self, rows: Rows) -> Truth:
        array = rows.array_with(self._names, self._message)
        if array is None or not len(array):
            return False
        holds = self._term.over(rows.items_of(array))
        found = np.zeros(len(rows), np.bool_)
        found[array.frame[holds] if not isinstance(holds, bool) else array.frame[: len(array) * holds]] = True
        return found

    def words(self) -> str:
        return f"{self._term.words()} in any item"

    def values(self) -> Iterator[Value]:
        return self._term.values()


def of_items(term: Term) -> Term:
    """Return a condition as it is asked of frames: where it compares what is in arrays, of any of their items."""
    items = [value for value in all_values(term.values()) if isinstance(value, EachItem)]
    return InAnyItem(term, items) if items else term
