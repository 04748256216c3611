"""The numbers an expression can name at a place in a layout, one value a row."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..expressions.columns import Plain
from ..expressions.operation import type_between, whole_column
from .columns import FieldColumn


class Scope:
    """Columns by name and id; names of an inner scope hide those of the outer one.

    Parameters
    ----------
    count
        Rows.
    outer, owner
        The scope around, and the row of it that each row here lies in.
    own_names
        Whether nothing of the scope around can be named here but the frame's address.
    """

    def __init__(
        self, count: int, outer: Scope | None = None, owner: NDArray[np.int64] | None = None, *, own_names: bool = False
    ) -> None:
        self._own_names = own_names
        self.count = count
        self._outer = outer
        self._owner = owner
        self._columns: dict[UUID, FieldColumn] = {}
        self._by_name: dict[str, FieldColumn] = {}
        self._special: dict[str, tuple[NDArray, tuple[int, int]]] = {}

    def add(self, columns: Mapping[UUID, FieldColumn], *, by_name: bool = True) -> None:
        """Make columns known, or only their ids."""
        self._columns.update(columns)
        if by_name:
            self._by_name.update({column.field.name: column for column in columns.values()})

    def add_special(self, name: str, values: NDArray) -> None:
        """Make one of the special names known; whole numbers below 2**48 in size, so that products stay exact."""
        self._special[name] = values.astype(np.int64), (-(1 << 48), 1 << 48)

    def column(self, field_id: UUID) -> FieldColumn:
        """Return the column of a field, brought to the rows of this scope.

        Raises
        ------
        KeyError
            If no field here has this id.
        """
        if field_id in self._columns:
            return self._columns[field_id]
        if self._outer is None:
            raise KeyError(field_id)
        found = self._outer.column(field_id)
        return found if self._owner is None else found.take(self._owner)

    def column_named(self, name: str) -> FieldColumn:
        """Return the column of a name, text as well, brought to the rows of this scope; raises as :meth:`value`."""
        if name in self._by_name:
            return self._by_name[name]
        if self._outer is None or self._own_names:
            raise KeyError(name)
        found = self._outer.column_named(name)
        return found if self._owner is None else found.take(self._owner)

    def value(self, name: str) -> Plain:
        """Return the values of a name.

        Raises
        ------
        KeyError
            If nothing here has this name.
        """
        column = self._by_name.get(name)
        if column is not None and column.value is not None:
            return _plain(column, column.value)
        if name in self._special:
            values, bounds = self._special[name]
            return values, None, bounds
        return self._from_outer(name, raw=False)

    def raw(self, name: str) -> Plain:
        """Return the raw values of a field; raises as :meth:`value`."""
        column = self._by_name.get(name)
        if column is not None and column.raw is not None:
            return _plain(column, column.raw)
        return self._from_outer(name, raw=True)

    def _from_outer(self, name: str, *, raw: bool) -> Plain:
        if self._outer is None or (self._own_names and (raw or name != "address")):
            raise KeyError(name)
        values, known, bounds = self._outer.raw(name) if raw else self._outer.value(name)
        if self._owner is None:
            return values, known, bounds
        return values[self._owner], None if known is None else known[self._owner], bounds


def _plain(column: FieldColumn, values: NDArray) -> Plain:
    known = None if bool((column.validity == 0).all()) else column.has_value
    if values.dtype == np.float64 or not len(column.field.places):
        found = whole_column(values, known)
        return found.values, found.known, found.bounds
    bounds = column.field.raw_range()
    return values.astype(type_between(bounds), copy=False), known, bounds
