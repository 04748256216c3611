"""Compiles the places of fields to shifts and masks over 64-bit words.

A kind matrix is padded to whole words, so a row is a short array of words. Each run of bits that is
contiguous in a word, read with its first byte lowest or with its first byte highest, becomes one step
``((word >> right) & mask) << left``; the steps of a field are or-ed together.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..kernels.steps import (
    READ_BCD,
    READ_BCD_BYTES,
    READ_GRAY,
    READ_ONES_COMPLEMENT,
    READ_SIGN_MAGNITUDE,
    READ_SIGNED,
    READ_UNSIGNED,
    NumberSteps,
    Step,
)
from ..layouts.model import Field, FieldKind, Layout
from ..layouts.places import Places
from ..layouts.validate import check_layout
from .carried import with_carried
from .scaling import CommonScale, rounds_once

_READINGS = {
    FieldKind.SIGNED: READ_SIGNED, FieldKind.SIGN_MAGNITUDE: READ_SIGN_MAGNITUDE,
    FieldKind.ONES_COMPLEMENT: READ_ONES_COMPLEMENT, FieldKind.BCD: READ_BCD, FieldKind.BCD_BYTES: READ_BCD_BYTES,
    FieldKind.GRAY: READ_GRAY,
}  # fmt: skip


class PlanError(MisuseError):
    """A layout that cannot be compiled because it is not valid."""


def compile_places(places: Places) -> list[Step]:
    """Return the fewest left-to-right steps that gather the bits of a place of at most 64 bits."""
    bits = places.bits
    steps = []
    i = 0
    while i < len(bits):
        plain = _run_length(bits, i, swapped=False)
        turned = _run_length(bits, i, swapped=True)
        length = max(plain, turned)
        word, _ = divmod(bits[i], 64)
        swapped = turned > plain
        lowest = _word_bit(bits[i + length - 1], swapped)
        steps.append(Step(word, swapped, lowest, (1 << length) - 1, len(bits) - i - length))
        i += length
    return steps


def _word_bit(bit: int, swapped: bool) -> int:
    byte, inner = divmod(bit % 64, 8)
    return (7 - byte if swapped else byte) * 8 + inner


def _run_length(bits: Sequence[int], first: int, *, swapped: bool) -> int:
    length = 1
    while (
        first + length < len(bits)
        and bits[first + length] // 64 == bits[first] // 64
        and _word_bit(bits[first + length], swapped) == _word_bit(bits[first + length - 1], swapped) - 1
    ):
        length += 1
    return length


def number_steps(fields: Sequence[Field]) -> NumberSteps:
    """Compile fields that are numbers, flags or named values."""
    steps: list[Step] = []
    first = [0]
    for field in fields:
        steps += compile_places(field.places)
        first.append(len(steps))
    scales = [CommonScale.of(field.ratio, field.offset) for field in fields]
    in_kernel = [value_dtype(field) == np.float64 and rounds_once(field) for field in fields]
    return NumberSteps(
        first=np.array(first, np.int64),
        word=np.array([step.word for step in steps], np.int64),
        swapped=np.array([step.swapped for step in steps], np.bool_),
        right=np.array([step.right for step in steps], np.uint64),
        mask=np.array([step.mask for step in steps], np.uint64),
        left=np.array([step.left for step in steps], np.uint64),
        width=np.array([len(field.places) for field in fields], np.int64),
        reading=np.array([_READINGS.get(field.kind, READ_UNSIGNED) for field in fields], np.int64),
        inverted=np.array([field.inverted for field in fields], np.bool_),
        scaled=np.array(in_kernel, np.bool_),
        times=_floats(scales, in_kernel, 0),
        plus=_floats(scales, in_kernel, 1),
        over=_floats(scales, in_kernel, 2),
    )


def _floats(scales: Sequence[CommonScale], used: Sequence[bool], place: int) -> NDArray[np.float64]:
    # a scale that the kernel does not use may be beyond any float
    return np.array([float(scale[place]) if use else 1.0 for scale, use in zip(scales, used, strict=True)], np.float64)


def value_dtype(field: Field) -> np.dtype | None:
    """Return the dtype of a field's value column, None for text and raw bytes.

    Unscaled integers keep their raw dtype, so that no bit above 53 is lost. Everything scaled is float64, the
    nearest to the exact value; the raw column stays exact.
    """
    if field.kind in (FieldKind.TEXT, FieldKind.BYTES):
        return None
    if is_real(field):
        return np.dtype(np.float64)
    return np.dtype(np.int64 if field.is_signed else np.uint64)


def is_real(field: Field) -> bool:
    """Return whether the values of a number field are real numbers; else they are its raw integers."""
    return field.kind is FieldKind.FLOAT or field.ratio != 1 or field.offset != 0 or field.is_curved


@dataclass(frozen=True, slots=True, eq=False)
class FieldsPlan:
    """Fields that stand together, ready to decode.

    Attributes
    ----------
    fields
        All, in the order of the layout.
    numbers
        Those that the number kernel reads.
    steps
        Their compiled steps.
    contents
        Text and raw bytes fields.
    words
        How many 64-bit words of a row the steps touch.
    has_selectors
        Whether any of them is there only where another says so.
    """

    fields: tuple[Field, ...]
    numbers: tuple[Field, ...]
    steps: NumberSteps
    contents: tuple[Field, ...]
    words: int
    has_selectors: bool


def compile_fields(fields: tuple[Field, ...]) -> FieldsPlan:
    """Compile fields with places."""
    numbers = tuple(f for f in fields if value_dtype(f) is not None)
    contents = tuple(f for f in fields if value_dtype(f) is None)
    needed = max((f.places.size_needed for f in fields), default=0)
    has_selectors = any(field.selected is not None for field in fields)
    return FieldsPlan(fields, numbers, number_steps(numbers), contents, (needed + 7) // 8, has_selectors)


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """A layout ready to decode.

    Attributes
    ----------
    layout
    fixed
        The fixed fields.
    groups
        The fields of groups and cases of elements, by their id.
    """

    layout: Layout
    fixed: FieldsPlan
    groups: dict[UUID, FieldsPlan]

    @property
    def words(self) -> int:
        """How many 64-bit words of a row the fixed fields touch."""
        return self.fixed.words


def compile_layout(layout: Layout, others: Mapping[UUID, Layout] | Iterable[Layout] = ()) -> Plan:
    """Compile a layout.

    Parameters
    ----------
    others
        The library, of which the layout may carry some; by id, if that is at hand.

    Raises
    ------
    PlanError
        If the layout has problems; the first one is the message.
    CarriedError
        If a layout it carries is not among ``others``.
    """
    if layout.parts:
        known = others if isinstance(others, Mapping) else {other.id: other for other in others}
        layout = with_carried(layout, known)
    problems = check_layout(layout)
    if problems:
        raise PlanError(problems[0].sentence, where=layout.name)
    groups = {key: compile_fields(fields) for part in layout.parts for key, fields in part.field_groups()}
    return Plan(layout, compile_fields(layout.fields), groups)
