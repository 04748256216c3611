"""The columns of computed values."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

import numpy as np

from ..expressions.columns import evaluate
from ..layouts.model import Computed, Field, FieldKind
from .columns import FieldColumn, Validity
from .fixed import judge
from .joined import joined_column
from .scope import Scope

_KINDS = {"i": FieldKind.SIGNED, "u": FieldKind.UNSIGNED, "f": FieldKind.FLOAT}


_NO_NAME = -(2.0**63)


def compute(values: Iterable[Computed], scope: Scope) -> dict[UUID, FieldColumn]:
    """Return the columns of computed values; each is known to those behind it."""
    columns = {}
    for value in values:
        columns[value.id] = _column(value, scope)
        scope.add({value.id: columns[value.id]})
    return columns


def _column(value: Computed, scope: Scope) -> FieldColumn:
    if value.text:
        return joined_column(value, scope)
    result = evaluate(value.expression, scope)
    kind = FieldKind.NAMES if value.names else _KINDS[result.values.dtype.kind]
    field = Field(
        id=value.id, name=value.name, kind=kind, unit=value.unit, low=value.low, high=value.high, names=value.names,
        note=value.note,
    )  # fmt: skip
    validity = np.where(result.known_rows(), Validity.GOOD, Validity.ABSENT).astype(np.uint8)
    judge(field, np.zeros(scope.count, np.int64), result.values, validity)
    raw = result.values.view(np.uint64) if result.bounds is None else result.values
    if value.names and result.bounds is None:
        # a quotient may be whole all the same, and has its name then; what is not is no value that could have one
        raw = np.where(result.values == np.rint(result.values), result.values, _NO_NAME).astype(np.int64)
    return FieldColumn(field, raw, result.values, None, validity)
