"""Decoding: the frames of a kind to one column of raw, value, label and validity a field."""

from __future__ import annotations

import enum
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..layouts.model import Field, FieldKind
from .kernels import decode_numbers
from .plan import Plan, number_steps

_FLOAT_DTYPES = {16: np.float16, 32: np.float32, 64: np.float64}
_UINT_DTYPES = {16: np.uint16, 32: np.uint32, 64: np.uint64}


class Validity(enum.IntEnum):
    """Whether a decoded value may be used, and if not, why."""

    GOOD = 0
    ABSENT = 1
    """Its selector has another value in this frame."""
    TOO_SHORT = 2
    """The frame ends before the field does."""
    NOT_AVAILABLE = 3
    """The sender says that there is no value."""
    OUTSIDE_LIMITS = 4
    """There is a value, and it is outside the limits of the layout."""

    @property
    def words(self) -> str:
        """Return the state as the interface says it."""
        return self.name.lower().replace("_", " ")

    @property
    def has_value(self) -> bool:
        """Whether the value is what the sender meant, even if outside limits."""
        return self in (Validity.GOOD, Validity.OUTSIDE_LIMITS)


@dataclass(frozen=True, eq=False)
class FieldColumn:
    """A field decoded over many frames.

    Attributes
    ----------
    field
    raw : int64 or uint64 (n,), None for text and bytes
        The bits as an integer; of a float field, its bit pattern.
    value : int64, uint64 or float64 (n,), None for text and bytes
        ``raw * ratio + offset``; dtype as :func:`~zesty_abacus.core.codec.plan.value_dtype` says.
    content : uint8 (n, k), None for numbers
        The bytes of a text or raw bytes field.
    validity : uint8 (n,)
        Members of :class:`Validity`.
    """

    field: Field
    raw: NDArray[np.int64] | NDArray[np.uint64] | None
    value: NDArray | None
    content: NDArray[np.uint8] | None
    validity: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.validity)

    @cached_property
    def has_value(self) -> NDArray[np.bool_]:
        """Which rows have a value, bool (n,)."""
        return (self.validity == Validity.GOOD) | (self.validity == Validity.OUTSIDE_LIMITS)

    def plot_values(self) -> NDArray[np.float64]:
        """Return values as float64 with NaN where there is none; text and bytes are all NaN."""
        if self.value is None:
            return np.full(len(self), np.nan)
        values = self.value.astype(np.float64)
        values[~self.has_value] = np.nan
        return values

    def label_codes(self) -> NDArray[np.int32]:
        """Return the index into ``field.names`` of each raw value, -1 where it has no name; int32 (n,)."""
        if self.raw is None or not self.field.names:
            return np.full(len(self), -1, np.int32)
        raws = np.array([named.raw for named in self.field.names], self.raw.dtype)
        order = np.argsort(raws)
        place = np.minimum(np.searchsorted(raws, self.raw, sorter=order), len(raws) - 1)
        found = raws[order[place]] == self.raw
        return np.where(found, order[place], -1).astype(np.int32)

    def text_of(self, row: int) -> str:
        """Return the text of a row, or hex digits for raw bytes; empty for numbers."""
        if self.content is None:
            return ""
        data = self.content[row].tobytes()
        if self.field.kind is FieldKind.BYTES:
            return data.hex(" ").upper()
        return data.decode(self.field.encoding, "replace").rstrip("\0 ")


@dataclass(frozen=True, slots=True, eq=False)
class Decoded:
    """All decoded fields of a kind, by field id."""

    columns: dict[UUID, FieldColumn]

    def __getitem__(self, field_id: UUID) -> FieldColumn:
        return self.columns[field_id]

    def named(self, name: str) -> FieldColumn:
        """Return the column of the field with this name.

        Raises
        ------
        KeyError
            If there is none.
        """
        for column in self.columns.values():
            if column.field.name == name:
                return column
        raise KeyError(name)


def decode(
    plan: Plan, matrix: NDArray[np.uint8], sizes: NDArray[np.uint32], only: Iterable[UUID] | None = None
) -> Decoded:
    """Decode a kind matrix.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Payloads, zero-padded to a whole number of 8-byte words; may be narrower or wider than the layout.
    sizes : uint32 (n,)
        Recorded payload bytes of each row.
    only
        Fields wanted; all by default. Selectors they depend on are decoded as needed.
    """
    matrix = _wide_enough(matrix, plan.words)
    wanted = None if only is None else set(only)
    numbers = _with_selectors(plan, wanted)
    steps = plan.steps if numbers is plan.numbers else number_steps(numbers)
    raw, values = decode_numbers(matrix, steps)
    columns: dict[UUID, FieldColumn] = {}
    scaled = 0
    for number, field in enumerate(numbers):
        value = None
        if steps.scaled[number]:
            value = values[scaled]
            scaled += 1
        columns[field.id] = _number_column(field, raw[number], value, sizes, columns, plan)
    for field in plan.contents:
        if wanted is None or field.id in wanted:
            columns[field.id] = _content_column(field, matrix, sizes, columns, plan)
    ordered = {f.id: columns[f.id] for f in plan.layout.fields if f.id in columns}
    return Decoded({k: c for k, c in ordered.items() if wanted is None or k in wanted})


def _wide_enough(matrix: NDArray[np.uint8], words: int) -> NDArray[np.uint8]:
    width = max(words, 1) * 8
    if matrix.shape[1] >= width and matrix.shape[1] % 8 == 0:
        return matrix
    padded = np.zeros((len(matrix), max(width, (matrix.shape[1] + 7) // 8 * 8)), np.uint8)
    padded[:, : matrix.shape[1]] = matrix
    return padded


def _with_selectors(plan: Plan, wanted: set[UUID] | None) -> tuple[Field, ...]:
    """Return the wanted number fields and their selectors, each selector before what it selects."""
    by_id = {field.id: field for field in plan.layout.fields}
    picked: dict[UUID, Field] = {}

    def pick(field: Field) -> None:
        if field.selected is not None:
            pick(by_id[field.selected.field])
        if field.raw_is_number:
            picked[field.id] = field

    for field in plan.layout.fields:
        if wanted is None or field.id in wanted:
            pick(field)
    # the plan's own order is kept when nothing is left out and no selector stands behind its fields
    if len(picked) == len(plan.numbers) and tuple(picked) == tuple(f.id for f in plan.numbers):
        return plan.numbers
    return tuple(picked.values())


def _number_column(
    field: Field,
    raw: NDArray[np.uint64],
    value: NDArray[np.float64] | None,
    sizes: NDArray[np.uint32],
    known: dict[UUID, FieldColumn],
    plan: Plan,
) -> FieldColumn:
    if field.kind is FieldKind.FLOAT:
        width = len(field.places)
        pattern = raw.astype(_UINT_DTYPES[width]).view(_FLOAT_DTYPES[width])
        with np.errstate(invalid="ignore", over="ignore"):
            value = pattern.astype(np.float64)
            if (field.ratio, field.offset) != (1, 0):
                value = value * float(field.ratio) + float(field.offset)
    exact = raw.view(np.int64) if field.is_signed else raw
    numbers = exact if value is None else value
    validity = _presence(field, sizes, known, plan)
    if field.unavailable:
        silent = np.isin(exact, np.array(field.unavailable, exact.dtype)) & (validity == Validity.GOOD)
        validity[silent] = Validity.NOT_AVAILABLE
    outside = _outside_limits(field, numbers)
    if outside is not None:
        validity[outside & (validity == Validity.GOOD)] = Validity.OUTSIDE_LIMITS
    return FieldColumn(field, exact, numbers, None, validity)


def _content_column(
    field: Field, matrix: NDArray[np.uint8], sizes: NDArray[np.uint32], known: dict[UUID, FieldColumn], plan: Plan
) -> FieldColumn:
    if field.places.is_whole_bytes:
        content = matrix[:, [bit // 8 for bit in field.places.bits[::8]]]
    else:
        bits = np.array(field.places.bits)
        picked = (matrix[:, bits // 8] >> (bits % 8).astype(np.uint8)) & 1
        content = np.packbits(picked, axis=1)
    return FieldColumn(field, None, None, content, _presence(field, sizes, known, plan))


def _presence(field: Field, sizes: NDArray[np.uint32], known: dict[UUID, FieldColumn], plan: Plan) -> NDArray[np.uint8]:
    validity = np.zeros(len(sizes), np.uint8)
    if field.selected is not None:
        selector = known[field.selected.field]
        assert selector.raw is not None  # validation lets only numbers select
        holds = np.isin(selector.raw, np.array(field.selected.values, selector.raw.dtype))
        validity[~(holds & selector.has_value)] = Validity.ABSENT
    short = sizes < field.places.size_needed
    if short.any():
        validity[short] = Validity.TOO_SHORT
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
