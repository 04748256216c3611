"""How the checks of a layout come out, frame by frame."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..expressions.columns import evaluate
from ..expressions.expression import Expression
from ..expressions.operation import Result
from ..layouts.checks.check import Check
from ..layouts.fields import Field
from .columns import CheckColumn, CheckState, Validity
from .scope import Scope


class FramesInScope:
    """Frames whose fields are decoded, as checks see them.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Payloads, zero beyond ``sizes``.
    sizes : (n,)
    scope
        With the columns of all fields that are there once a frame.
    fields
        Those of them whose places count from the beginning of the payloads.
    """

    def __init__(
        self, matrix: NDArray[np.uint8], sizes: NDArray[np.integer], scope: Scope, fields: Iterable[Field] = ()
    ) -> None:
        self.matrix = matrix
        self.sizes = sizes.astype(np.int64)
        self._scope = scope
        self._places = {field.id: field.places for field in fields}

    @property
    def addresses(self) -> NDArray[np.int64]:
        """Return the address of each frame."""
        return self._scope.value("address")[0].astype(np.int64)

    def raw(self, field_id: UUID) -> tuple[NDArray, NDArray[np.bool_]]:
        """Return a field's raw values, (n,), and in which frames it is there; raises KeyError if nothing has it."""
        column = self._scope.column(field_id)
        assert column.raw is not None
        there = (column.validity != Validity.ABSENT) & (column.validity != Validity.TOO_SHORT)
        return column.raw, there

    def bits(self, field_id: UUID) -> tuple[NDArray[np.uint64], int, NDArray[np.bool_]]:
        """Return a field's bits, how many they are (64 of a text column), and in which frames it is there."""
        raw, there = self.raw(field_id)
        width = len(self._scope.column(field_id).field.places) or 64
        return raw.astype(np.int64).view(np.uint64) & np.uint64((1 << width) - 1), width, there

    def own_bits(self, field_id: UUID) -> tuple[int, ...]:
        """Return the bits of the payload that a field has, none of one that lies elsewhere in every frame."""
        found = self._places.get(field_id)
        return found.bits if found is not None else ()

    def evaluate(self, expression: Expression) -> Result:
        """Return the values of an expression, one a frame."""
        return evaluate(expression, self._scope)


def run_checks(
    checks: Iterable[Check],
    matrix: NDArray[np.uint8],
    sizes: NDArray[np.integer],
    scope: Scope,
    fields: Iterable[Field],
) -> dict[UUID, CheckColumn]:
    """Return how each check came out in every frame; parameters as of :class:`FramesInScope`."""
    frames = FramesInScope(matrix, sizes, scope, fields)
    made = {}
    for check in checks:
        agrees, there = check.agrees(frames)
        state = np.where(there, np.where(agrees, CheckState.AGREES, CheckState.DISAGREES), CheckState.NOT_THERE)
        made[check.id] = CheckColumn(check, state.astype(np.uint8))
    return made
