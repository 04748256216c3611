"""What a payload means whose parts move, by the codec: struct by struct, as languages lay it out."""

from __future__ import annotations

from collections.abc import Iterator
from uuid import UUID

import msgspec
import numpy as np

from ..codec.columns import Decoded, FieldColumn, Validity
from ..codec.decode import decode
from .carried_fields import CarriedField
from .carried_message import CarriedMessage, CarriedValue
from .expected import Expected, Inside, expected_of
from .plans import as_matrix, plain_plan_of
from .shapes import MOST_ITEMS, MOST_TEXT, MovedList, MovedStruct, every_move


class Meaning(msgspec.Struct, frozen=True):
    """What a payload is, without what its own checks and its shape say of it.

    Attributes
    ----------
    is_short
        Whether something that is there does not fit.
    is_long
        Whether there is more of something than a struct holds.
    """

    inside: Inside
    is_short: bool
    is_long: bool


def meaning_of(message: CarriedMessage, payload: bytes) -> Meaning:
    """Return what a payload means."""
    matrix, sizes = as_matrix(payload)
    plain = decode(plain_plan_of(message), matrix, sizes, address=message.address)
    walk = _Walk(plain)
    inside = walk.inside(message, plain.columns, 0, ())
    short = bool(plain.cut[0]) if plain.cut is not None else False
    columns = [*plain.columns.values(), *(one for array in plain.arrays.values() for one in array.columns.values())]
    short |= any(bool((column.validity == Validity.TOO_SHORT).any()) for column in columns)
    return Meaning(inside, short, walk.is_long)


class _Walk:
    """Goes through the structs of a message with what was decoded.

    Attributes
    ----------
    is_long
        Whether something was more than a struct holds.
    """

    def __init__(self, decoded: Decoded) -> None:
        self._decoded = decoded
        self.is_long = False

    def inside(
        self, message: CarriedMessage, columns: dict[UUID, FieldColumn], row: int, index: tuple[int, ...]
    ) -> Inside:
        """Return what one struct holds: the columns of its fields, in a row, within the items of an index."""
        fields = {one.name: self._field(one, columns, row) for one in message.fields}
        computed = {one.name: _value(one, columns, row) for one in message.computed}
        structs: dict[str, Inside | None] = {}
        lists: dict[str, tuple[Inside, ...]] = {}
        for move in every_move(message.stretch):
            if isinstance(move, MovedStruct):
                structs[move.member] = self._struct(move, columns, row, index)
            elif isinstance(move, MovedList):
                lists[move.member] = tuple(self._items(move, index))
                most = move.most if move.most is not None else MOST_ITEMS
                self.is_long |= len(lists[move.member]) > most
        return Inside(fields, computed, structs, lists)

    def _field(self, one: CarriedField, columns: dict[UUID, FieldColumn], row: int) -> Expected:
        column = columns.get(one.field.id)
        if column is None:
            return Expected(False, None, float("nan"))
        found = expected_of(column, row)
        if one.varies and isinstance(found.raw, bytes):
            self.is_long |= len(found.raw) > (one.length or MOST_TEXT)
        return found

    def _struct(
        self, move: MovedStruct, columns: dict[UUID, FieldColumn], row: int, index: tuple[int, ...]
    ) -> Inside | None:
        inner = move.inner
        if inner.stretch is not None and inner.stretch.is_payload:
            # what a payload inside holds is decoded beside what stands around it
            there = _is_there(inner, columns, row)
            return self.inside(inner, columns, row, index) if there else None
        found = self._rows(inner.layout.id, index)
        return None if found is None else self.inside(inner, found[0], found[1], index)

    def _items(self, move: MovedList, index: tuple[int, ...]) -> Iterator[Inside]:
        number = 0
        while (found := self._rows(move.items.layout.id, (*index, number))) is not None:
            yield self.inside(move.items, found[0], found[1], (*index, number))
            number += 1

    def _rows(self, key: UUID, index: tuple[int, ...]) -> tuple[dict[UUID, FieldColumn], int] | None:
        array = self._decoded.arrays.get(key)
        if array is None or array.index.shape[1] != len(index):
            return None
        rows = np.flatnonzero((array.index == np.array(index, np.int64)).all(axis=1))
        return (array.columns, int(rows[0])) if len(rows) else None


def _is_there(message: CarriedMessage, columns: dict[UUID, FieldColumn], row: int) -> bool:
    """Return whether a payload inside was read: where it is absent, all that is in it is."""
    own = [columns[one.field.id] for one in message.fields if one.field.id in columns]
    return not own or any(int(column.validity[row]) != Validity.ABSENT for column in own)


def _value(one: CarriedValue, columns: dict[UUID, FieldColumn], row: int) -> float:
    column = columns.get(one.value.id)
    return float(column.plot_values()[row]) if column is not None else float("nan")
