"""Decoding: the frames of a kind to columns of raw, value, label and validity."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..layouts.model import Computed, Field, FieldKind
from .checks import run_checks, spoils
from .columns import ArrayColumns, CheckColumn, CheckState, Decoded, FieldColumn, Validity
from .evaluate import evaluate
from .fixed import decode_fields, judge
from .moving import Found, decode_parts, whole_frames
from .plan import Plan
from .scope import Scope


def decode(
    plan: Plan,
    matrix: NDArray[np.uint8],
    sizes: NDArray[np.uint32],
    only: Iterable[UUID] | None = None,
    *,
    address: int | NDArray[np.int64] = 0,
    untrue: NDArray[np.bool_] | None = None,
) -> Decoded:
    """Decode a kind matrix.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Payloads, zero-padded to a whole number of 8-byte words; may be narrower or wider than the layout.
    sizes : uint32 (n,)
        Recorded payload bytes of each row.
    only
        Ids of the fields, arrays and computed values wanted; all by default. What they depend on is decoded as
        needed, and checks are always made.
    address : int or int64 (n,)
        Address of the frames, for checks and expressions that ask for it.
    untrue : bool (n,)
        Frames that broke a check of the link that carried them: no value in them is good.
    """
    layout = plan.layout
    wanted = None if only is None else set(only)
    scope = Scope(len(matrix))
    scope.add_special("size", sizes)
    scope.add_special("address", np.broadcast_to(np.asarray(address, np.int64), (len(matrix),)))
    needs_all = bool(layout.parts or layout.checks or layout.computed)
    columns = decode_fields(plan.fixed, matrix, sizes, scope, None if needs_all else wanted)
    arrays: dict[UUID, ArrayColumns] = {}
    cut = None
    if layout.parts:
        here = whole_frames(matrix, sizes, scope)
        found = Found(sizes < layout.size)
        more, _ = decode_parts(layout.parts, plan, here, np.full(len(matrix), layout.size, np.int64), found)
        columns |= more
        arrays, cut = found.joined(), found.cut
    for value in layout.computed:
        columns[value.id] = _computed_column(value, scope)
        scope.add({value.id: columns[value.id]})
    checks = run_checks(layout.checks, matrix, sizes, scope)
    wrong = [column.state == CheckState.DISAGREES for column in checks.values() if spoils(column.check)]
    _mark_spoilt(columns, arrays, wrong if untrue is None else [*wrong, untrue])
    if layout.applies.looks_at_payload:
        _mark_others(columns, ~layout.applies.accepts(matrix, sizes))
    if wanted is not None:
        columns = {key: column for key, column in columns.items() if key in wanted}
        arrays = {key: array for key, array in arrays.items() if key in wanted or wanted & set(array.columns)}
    return Decoded(columns, arrays, checks, cut)


def _computed_column(value: Computed, scope: Scope) -> FieldColumn:
    result = evaluate(value.expression, scope)
    whole = result.bounds is not None
    field = Field(
        id=value.id,
        name=value.name,
        kind=FieldKind.SIGNED if whole else FieldKind.FLOAT,
        unit=value.unit,
        low=value.low,
        high=value.high,
        note=value.note,
    )
    validity = np.where(result.known_rows(), Validity.GOOD, Validity.ABSENT).astype(np.uint8)
    judge(field, np.zeros(scope.count, np.int64), result.values, validity)
    raw = result.values if whole else result.values.view(np.uint64)
    return FieldColumn(field, raw, result.values, None, validity)


def _mark_spoilt(
    columns: dict[UUID, FieldColumn], arrays: dict[UUID, ArrayColumns], spoilt: Iterable[NDArray[np.bool_]]
) -> None:
    """Make the values of frames that fail a check invalid; each of ``spoilt`` is bool (n,)."""
    for wrong in spoilt:
        if not wrong.any():
            continue
        for one in columns.values():
            _fail(one, wrong)
        for array in arrays.values():
            for one in array.columns.values():
                _fail(one, wrong[array.frame])


def _fail(column: FieldColumn, wrong: NDArray[np.bool_]) -> None:
    absent = (column.validity == Validity.ABSENT) | (column.validity == Validity.TOO_SHORT)
    column.validity[wrong & ~absent] = Validity.CHECK_FAILED


def _mark_others(columns: dict[UUID, FieldColumn], others: NDArray[np.bool_]) -> None:
    if others.any():
        for column in columns.values():
            column.validity[others] = Validity.OTHER_SHAPE


__all__ = [
    "ArrayColumns", "CheckColumn", "CheckState", "Decoded", "FieldColumn", "Validity", "decode",
]  # fmt: skip
