"""Decodes fields that stand at fixed places of a matrix: whole messages, or the items of an array."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..kernels.bits import decode_numbers
from ..layouts.model import Field, FieldKind, Selected
from .columns import FieldColumn, Validity
from .plan import FieldsPlan, is_real, number_steps
from .scaling import nearest
from .scope import Scope

_FLOAT_DTYPES = {16: np.float16, 32: np.float32, 64: np.float64}
_UINT_DTYPES = {16: np.uint16, 32: np.uint32, 64: np.uint64}
_NOT_DIGITS = np.uint64(0xFFFF_FFFF_FFFF_FFFF)


def decode_fields(
    plan: FieldsPlan,
    matrix: NDArray[np.uint8],
    sizes: NDArray[np.integer],
    scope: Scope,
    only: Iterable[UUID] | None = None,
) -> dict[UUID, FieldColumn]:
    """Decode fields and make them known to the scope; selectors of wanted fields are decoded, too.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Bytes from the start of the part on, zero beyond ``sizes``.
    sizes : (n,)
        Bytes there are.
    """
    matrix = _wide_enough(matrix, plan.words)
    wanted = None if only is None else set(only)
    numbers = _with_selectors(plan, wanted)
    steps = plan.steps if numbers is plan.numbers else number_steps(numbers)
    raw, values = decode_numbers(matrix, steps)
    presence = _Presence(sizes, scope)
    columns: dict[UUID, FieldColumn] = {}
    scaled = 0
    for number, (field, is_scaled) in enumerate(zip(numbers, steps.scaled.tolist(), strict=True)):
        value = None
        if is_scaled:
            value = values[scaled]
            scaled += 1
        columns[field.id] = number_column(field, raw[number], value, presence.of(field))
        if plan.has_selectors:
            # what it selects asks for it before all are there
            scope.add({field.id: columns[field.id]})
    for field in plan.contents:
        if wanted is None or field.id in wanted:
            columns[field.id] = _content_column(field, matrix, presence.of(field))
    ordered = {field.id: columns[field.id] for field in plan.fields if field.id in columns}
    scope.add(ordered)
    return ordered


def _wide_enough(matrix: NDArray[np.uint8], words: int) -> NDArray[np.uint8]:
    width = max(words, 1) * 8
    if matrix.shape[1] >= width and matrix.shape[1] % 8 == 0:
        return matrix
    padded = np.zeros((len(matrix), max(width, (matrix.shape[1] + 7) // 8 * 8)), np.uint8)
    padded[:, : matrix.shape[1]] = matrix
    return padded


def _with_selectors(plan: FieldsPlan, wanted: set[UUID] | None) -> tuple[Field, ...]:
    """Return the wanted number fields and their selectors, each selector before what it selects."""
    if wanted is None and not plan.has_selectors:
        return plan.numbers
    by_id = {field.id: field for field in plan.fields}
    picked: dict[UUID, Field] = {}

    def pick(field: Field) -> None:
        if field.selected is not None and field.selected.field in by_id:
            pick(by_id[field.selected.field])
        if field.raw_is_number:
            picked[field.id] = field

    for field in plan.fields:
        if wanted is None or field.id in wanted:
            pick(field)
    # the plan's own order is kept when nothing is left out and no selector stands behind its fields
    if len(picked) == len(plan.numbers) and tuple(picked) == tuple(f.id for f in plan.numbers):
        return plan.numbers
    return tuple(picked.values())


def number_column(
    field: Field, raw: NDArray[np.uint64], value: NDArray[np.float64] | None, validity: NDArray[np.uint8]
) -> FieldColumn:
    """Make the column of a number field: its value, and what its layout says of it.

    Parameters
    ----------
    raw : uint64 (n,)
        As the kernel gives it.
    value : float64 (n,), None where the kernel scales nothing: unscaled, or too wide to be rounded once
    validity : uint8 (n,)
        Presence; is filled in further.
    """
    if field.kind in (FieldKind.BCD, FieldKind.BCD_BYTES):
        validity[(raw == _NOT_DIGITS) & (validity == Validity.GOOD)] = Validity.NOT_READABLE
    if field.kind is FieldKind.FLOAT:
        value = _float_values(field, raw)
        # IEEE 754 has bit patterns that are no number: they say that there is none
        validity[np.isnan(value) & (validity == Validity.GOOD)] = Validity.NOT_AVAILABLE
    exact = raw.view(np.int64) if field.is_signed else raw
    if value is None and is_real(field):
        value = nearest(exact, field.ratio, field.offset)
    if value is not None and field.is_curved:
        value = along_curve(field, value)
    numbers = exact if value is None else value
    judge(field, exact, numbers, validity)
    return FieldColumn(field, exact, numbers, None, validity)


def judge(field: Field, raw: NDArray, values: NDArray, validity: NDArray[np.uint8]) -> None:
    """Fill in where a value is not available, a fault, or outside limits."""
    for raws, state in ((field.unavailable, Validity.NOT_AVAILABLE), (field.errors, Validity.FAULT)):
        if raws:
            validity[raws.holds(raw) & (validity == Validity.GOOD)] = state
    outside = _outside_limits(field, values)
    if outside is not None:
        validity[outside & (validity == Validity.GOOD)] = Validity.OUTSIDE_LIMITS


def _float_values(field: Field, raw: NDArray[np.uint64]) -> NDArray[np.float64]:
    width = len(field.places)
    pattern = raw.astype(_UINT_DTYPES[width]).view(_FLOAT_DTYPES[width])
    with np.errstate(invalid="ignore", over="ignore"):
        value = pattern.astype(np.float64)
        if (field.ratio, field.offset) != (1, 0):
            value = value * float(field.ratio) + float(field.offset)
    return value


def along_curve(field: Field, values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return scaled values taken along the field's polynomial or table."""
    if field.polynomial:
        with np.errstate(over="ignore", invalid="ignore"):
            return np.asarray(
                np.polynomial.polynomial.polyval(values, [float(c) for c in field.polynomial]), np.float64
            )
    corners = field.table
    return np.interp(values, [float(corner.x) for corner in corners], [float(corner.y) for corner in corners])


def _content_column(field: Field, matrix: NDArray[np.uint8], validity: NDArray[np.uint8]) -> FieldColumn:
    if field.places.is_whole_bytes:
        content = matrix[:, [bit // 8 for bit in field.places.bits[::8]]]
    else:
        bits = np.array(field.places.bits)
        picked = (matrix[:, bits // 8] >> (bits % 8).astype(np.uint8)) & 1
        content = np.packbits(picked, axis=1)
    return FieldColumn(field, None, None, ~content if field.inverted else content, validity)


def selector_holds(selected: Selected, scope: Scope) -> NDArray[np.bool_]:
    """Return where a selector has one of the wanted values; bool (rows of the scope,)."""
    selector = scope.column(selected.field)
    assert selector.raw is not None  # validation lets only numbers select
    return selected.values.holds(selector.raw) & selector.has_value


class _Presence:
    """Which fields are there: selected, and before the end."""

    def __init__(self, sizes: NDArray[np.integer], scope: Scope) -> None:
        self._sizes = sizes
        self._scope = scope
        self._least = int(sizes.min()) if len(sizes) else 0

    def of(self, field: Field) -> NDArray[np.uint8]:
        """Return the validity of a field before its values are looked at."""
        validity = np.zeros(len(self._sizes), np.uint8)
        if field.selected is not None:
            validity[~selector_holds(field.selected, self._scope)] = Validity.ABSENT
        needed = field.places.size_needed
        if self._least < needed:
            validity[self._sizes < needed] = Validity.TOO_SHORT
        return validity


def _outside_limits(field: Field, values: NDArray) -> NDArray[np.bool_] | None:
    outside = None
    if field.low is not None:
        outside = values < _bound(field.low, values.dtype, up=True)
    if field.high is not None:
        above = values > _bound(field.high, values.dtype, up=False)
        outside = above if outside is None else outside | above
    return outside


def _bound(limit, dtype: np.dtype, *, up: bool):  # type: ignore[no-untyped-def]
    """Return a limit comparable without rounding: for integers, the next whole number inside."""
    if dtype == np.float64:
        return float(limit)
    return -(-limit.numerator // limit.denominator) if up else limit.numerator // limit.denominator
