"""A frame that is being made, as the checks see it that are still to be filled in."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from uuid import UUID

import numpy as np

from ..expressions.exactly import evaluate_node_exactly
from ..expressions.expression import Expression
from ..expressions.tree import Call, ExpressionError, Name
from ..layouts.filling_order import in_filling_order
from ..layouts.model import Check, Field
from .checks import FramesInScope
from .columns import FieldColumn
from .region import Region
from .scope import Scope
from .spots import Spot


def fill_checks(frame: FrameToCheck, checks: Sequence[Check]) -> None:
    """Make checks agree, each behind those that fill in what it is taken of."""
    for check in in_filling_order(checks, frame.fields):
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
    def fields(self) -> list[Field]:
        """Return the fields that are known here."""
        return [spot.field for spot in self._region.spots.values()]

    @property
    def keeps_what_it_has(self) -> bool:
        """Return whether bits that no value was given for were there before, and stay."""
        return self._region.keeps_checks

    def is_free(self, field_id: UUID) -> bool:
        """Return whether a field has places and no value was given for it."""
        if self.keeps_what_it_has:
            return False
        spot = self._region.spots.get(field_id)
        return spot is not None and not spot.is_given and self._is_there(spot.field)

    def _is_there(self, field: Field) -> bool:
        """Whether the selectors above a field let it be in the frame; where not, its bits are somebody else's."""
        return field.selected is None or self._region.selects(field.selected)

    def bits_of(self, field_id: UUID) -> tuple[int, int]:
        """Return a field's bits as they stand, and how many they are; of a column of text 64."""
        return self._region.spots[field_id].bits()

    def put_bits(self, field_id: UUID, bits: int) -> None:
        """Write a field's bits."""
        self._region.spots[field_id].put_bits(bits)

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
            spot = self._region.spot_named(side.name) if isinstance(side, Name) else None
            if spot is None or spot.is_given or not self._is_there(spot.field):
                continue
            try:
                value = evaluate_node_exactly(other, known | special, raws)
            except ExpressionError:
                # where an equation has no value it cannot be made true, as where a value is not there
                continue
            if value is not None:
                spot.give(value)
                return

    def as_frames(self) -> FramesInScope:
        """Return it as the one frame of many."""
        scope = Scope(1)
        scope.add_special("size", np.array([len(self.data)]))
        scope.add_special("address", np.array([self._region.address]))
        spots = list(self._region.spots.values())
        scope.add({spot.field.id: column for spot in spots if (column := _column(spot)) is not None})
        matrix = np.frombuffer(bytes(self.data), np.uint8).reshape(1, -1)
        here = [spot.field for spot in spots if spot.start == self._begin]
        return FramesInScope(matrix, np.array([len(self.data)]), scope, here)


def _column(spot: Spot) -> FieldColumn | None:
    raw, value = spot.numbers() if spot.is_number else (None, None)
    if raw is None or not -(1 << 63) <= raw < 1 << 64:
        return None
    return _made_column(spot.field, raw, value)


def _made_column(field: Field, raw: int, value: Fraction | None) -> FieldColumn:
    plain = np.array([raw], np.int64) if raw < 1 << 63 else np.array([raw], np.uint64)
    values = np.array([float(value or 0)]) if field.ratio != 1 or field.offset != 0 else plain
    return FieldColumn(field, plain, values, None, np.zeros(1, np.uint8))
