"""Compiles the places of fields to shifts and masks over 64-bit words.

A kind matrix is padded to whole words, so a row is a short array of words. Each run of bits that is
contiguous in a word, read with its first byte lowest or with its first byte highest, becomes one step
``((word >> right) & mask) << left``; the steps of a field are or-ed together.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..layouts.model import Field, FieldKind, Layout
from ..layouts.places import Places
from ..layouts.validate import check_layout

_EXACT_FLOAT_BITS = 53


class PlanError(MisuseError):
    """A layout that cannot be compiled because it is not valid."""


class Step(NamedTuple):
    """One shift and mask. ``swapped`` reads the word with its first byte highest."""

    word: int
    swapped: bool
    right: int
    mask: int
    left: int


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


@dataclass(frozen=True, slots=True, eq=False)
class NumberSteps:
    """The steps of several number fields as columns, the form the kernel takes.

    Attributes
    ----------
    first : int64 (fields + 1,)
        Field ``f`` has steps ``first[f] .. first[f + 1] - 1``.
    word, swapped, right, mask, left
        One entry a step.
    width, signed : int64 (fields,), bool (fields,)
    scaled : bool (fields,)
        Whether a float64 value column is wanted beside the raw one.
    times, plus, over : float64 (fields,)
        ``value = (raw * times + plus) / over``: one rounding when raw has at most 53 bits.
    """

    first: NDArray[np.int64]
    word: NDArray[np.int64]
    swapped: NDArray[np.bool_]
    right: NDArray[np.uint64]
    mask: NDArray[np.uint64]
    left: NDArray[np.uint64]
    width: NDArray[np.int64]
    signed: NDArray[np.bool_]
    scaled: NDArray[np.bool_]
    times: NDArray[np.float64]
    plus: NDArray[np.float64]
    over: NDArray[np.float64]


def number_steps(fields: Sequence[Field]) -> NumberSteps:
    """Compile fields that are numbers, flags or named values."""
    steps: list[Step] = []
    first = [0]
    for field in fields:
        steps += compile_places(field.places)
        first.append(len(steps))
    scales = [_common_scale(field.ratio, field.offset) for field in fields]
    return NumberSteps(
        first=np.array(first, np.int64),
        word=np.array([step.word for step in steps], np.int64),
        swapped=np.array([step.swapped for step in steps], np.bool_),
        right=np.array([step.right for step in steps], np.uint64),
        mask=np.array([step.mask for step in steps], np.uint64),
        left=np.array([step.left for step in steps], np.uint64),
        width=np.array([len(field.places) for field in fields], np.int64),
        signed=np.array([field.is_signed for field in fields], np.bool_),
        scaled=np.array([value_dtype(field) == np.float64 for field in fields], np.bool_),
        times=np.array([scale[0] for scale in scales], np.float64),
        plus=np.array([scale[1] for scale in scales], np.float64),
        over=np.array([scale[2] for scale in scales], np.float64),
    )


def value_dtype(field: Field) -> np.dtype | None:
    """Return the dtype of a field's value column, None for text and raw bytes.

    Unscaled integers keep their raw dtype, so that no bit above 53 is lost. Everything scaled is float64:
    a raw value of at most 53 bits is then rounded once; a wider one loses its lowest bits, and its raw
    column stays exact.
    """
    if field.kind in (FieldKind.TEXT, FieldKind.BYTES):
        return None
    if field.kind is FieldKind.FLOAT or (field.ratio, field.offset) != (1, 0):
        return np.dtype(np.float64)
    return np.dtype(np.int64 if field.is_signed else np.uint64)


def _common_scale(ratio: Fraction, offset: Fraction) -> tuple[float, float, float]:
    """Return (times, plus, over) over a common denominator, or plain factors if that is not exact."""
    over = ratio.denominator * offset.denominator
    times = ratio.numerator * offset.denominator
    plus = offset.numerator * ratio.denominator
    if max(abs(times), abs(plus), over).bit_length() <= _EXACT_FLOAT_BITS:
        return float(times), float(plus), float(over)
    return float(ratio), float(offset), 1.0


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """A layout ready to decode.

    Attributes
    ----------
    layout
    numbers
        Fields that the number kernel reads, in layout order.
    steps
        Their compiled steps.
    contents
        Text and raw bytes fields.
    words
        How many 64-bit words of a row the steps touch.
    """

    layout: Layout
    numbers: tuple[Field, ...]
    steps: NumberSteps
    contents: tuple[Field, ...]
    words: int


def compile_layout(layout: Layout) -> Plan:
    """Compile a layout.

    Raises
    ------
    PlanError
        If the layout has problems; the first one is the message.
    """
    problems = check_layout(layout)
    if problems:
        raise PlanError(problems[0].sentence, where=layout.name)
    numbers = tuple(f for f in layout.fields if value_dtype(f) is not None)
    contents = tuple(f for f in layout.fields if value_dtype(f) is None)
    needed = max((f.places.size_needed for f in layout.fields), default=0)
    return Plan(layout, numbers, number_steps(numbers), contents, (needed + 7) // 8)
