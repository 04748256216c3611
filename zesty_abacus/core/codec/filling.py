"""A frame that is being made, as the checks see it that are still to be filled in."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from uuid import UUID

import numpy as np

from ..expressions.exactly import evaluate_node_exactly
from ..expressions.expression import Expression
from ..expressions.tree import Call, Name
from ..layouts.model import Check, Field
from .checks import FramesInScope
from .columns import FieldColumn
from .encode import get_bits, get_value, whole_of
from .region import Region
from .scope import Scope


def fill_checks(frame: FrameToCheck, checks: Sequence[Check]) -> None:
    """Make checks agree; what is taken over bytes comes last, since it may cover the others."""
    for last in (False, True):
        for check in checks:
            if check.fills_last is last:
                check.fill(frame)


class FrameToCheck:
    """A frame, or a part of one, with every value in it that was given.

    Parameters
    ----------
    begin, end
        The bytes of the region that it is.
    """

    def __init__(self, region: Region, begin: int, end: int) -> None:
        self._region = region
        self._begin = begin
        self._end = end

    @property
    def data(self) -> bytearray:
        """Return the bytes so far."""
        return self._region.data[self._begin : self._end]

    @property
    def keeps_what_it_has(self) -> bool:
        """Return whether bits that no value was given for were there before, and stay."""
        return self._region.base_size > 0

    def is_free(self, field_id: UUID) -> bool:
        """Return whether a field has places and no value was given for it."""
        if self.keeps_what_it_has:
            return False
        known = self._region.spots | self._region.columns
        return field_id in known and known[field_id][0].name not in self._region.given

    def bits_of(self, field_id: UUID) -> tuple[int, int]:
        """Return a field's bits as they stand, and how many they are; of a column of text 64."""
        if field_id in self._region.columns:
            said = self._region.columns[field_id][1]
            return said.raw & ((1 << 64) - 1) if said is not None else 0, 64
        field, start = self._region.spots[field_id]
        data = bytes(self._region.data[start:]).ljust(field.places.size_needed, b"\0")
        return get_bits(data, field), len(field.places) or 64

    def put_bits(self, field_id: UUID, bits: int) -> None:
        """Write a field's bits."""
        if field_id in self._region.columns:
            self._region.work_out(self._region.columns[field_id][0], bits)
            return
        field, start = self._region.spots[field_id]
        self._region.put(field, start, bits & ((1 << len(field.places)) - 1))

    def put_field(self, field: Field, start: int, raw: int) -> None:
        """Write bits at the places of any field, counted from byte ``start``."""
        self._region.put(field, self._begin + start, raw)

    def solve_equal(self, expression: Expression) -> None:
        """Give the free field of an equation, as ``length == size - 4``, the value that makes it true."""
        tree = expression.tree
        if not isinstance(tree, Call) or tree.operation != "==":
            return
        known, raws = self._region.names()
        special = {"size": Fraction(len(self.data)), "address": Fraction(self._region.address)}
        for side, other in (tree.arguments, reversed(tree.arguments)):
            if not isinstance(side, Name) or side.name in self._region.given:
                continue
            found = self._region.owner_of(side.name)
            value = evaluate_node_exactly(other, known | special, raws) if found else None
            if found is not None and value is not None:
                region, field, start = found
                if field.id in region.columns:
                    region.work_out(field, whole_of(field, value)[0])
                else:
                    self._region.set(field, start, value)
                return

    def as_frames(self) -> FramesInScope:
        """Return it as the one frame of many."""
        scope = Scope(1)
        scope.add_special("size", np.array([len(self.data)]))
        scope.add_special("address", np.array([self._region.address]))
        for field, start in self._region.spots.values():
            column = self._column(field, start)
            if column is not None:
                scope.add({field.id: column})
        for field, said in self._region.columns.values():
            if said is not None:
                scope.add({field.id: _made_column(field, said.raw, said.value)})
        matrix = np.frombuffer(bytes(self.data), np.uint8).reshape(1, -1)
        here = [field for field, start in self._region.spots.values() if start == self._begin]
        return FramesInScope(matrix, np.array([len(self.data)]), scope, here)

    def _column(self, field: Field, start: int) -> FieldColumn | None:
        if not field.raw_is_number or not len(field.places):
            return None
        raw, value = get_value(bytes(self._region.data[start:]).ljust(field.places.size_needed, b"\0"), field)
        if raw is None or not -(1 << 63) <= raw < 1 << 64:
            return None
        return _made_column(field, raw, value)


def _made_column(field: Field, raw: int, value: Fraction | None) -> FieldColumn:
    plain = np.array([raw], np.int64) if raw < 1 << 63 else np.array([raw], np.uint64)
    values = np.array([float(value or 0)]) if field.ratio != 1 or field.offset != 0 else plain
    return FieldColumn(field, plain, values, None, np.zeros(1, np.uint8))
