"""The reckoner: reads a selection of bits in every way that makes sense and ranks the curves."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..codec.decode import decode
from ..codec.plan import compile_layout
from ..codec.wording import value_text
from ..layouts.model import Applies, Field, FieldKind, Layout, new_field, new_layout
from ..layouts.places import Places, places_of

_SAMPLE_ROWS = 100_000
_MAX_NUMBER_BITS = 64
_MOST_SUBNORMAL = 0.01


@dataclass(frozen=True, slots=True, eq=False)
class Reading:
    """One way to read a selection.

    Attributes
    ----------
    words
        The way, such as ``signed, low byte first``.
    field
        What keeping this reading would make.
    column
        The selection decoded this way.
    smoothness
        How smooth its curve is.
    """

    words: str
    field: Field
    column: FieldColumn
    smoothness: Smoothness

    def value_in(self, payload: bytes) -> str:
        """Return in words what a payload says, read this way."""
        matrix, sizes = np.frombuffer(payload, np.uint8)[np.newaxis], np.array([len(payload)], np.uint32)
        plan = compile_layout(_layout_around(self.field, len(payload)))
        return value_text(decode(plan, matrix, sizes)[self.field.id], 0)

    def moved_by(self, bits: int, words: str) -> Reading:
        """Return the same of a field that lies so many bits further on, called otherwise."""
        places = Places(bit + bits for bit in self.field.places.bits)
        return replace(self, words=words, field=msgspec.structs.replace(self.field, places=places))


def readings_of(bits: Iterable[int], matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> list[Reading]:
    """Read a selection in every way its width allows, smoothest first.

    Parameters
    ----------
    bits
        Bit numbers ``byte * 8 + bit``, in any order.
    matrix, sizes
        Frames of the kind, as :meth:`~zesty_abacus.core.frames.capture.Capture.kind_frames` gives them.
    """
    return read_as(candidate_fields(bits), matrix, sizes)


def read_as(fields: Iterable[Field], matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> list[Reading]:
    """Read frames as each of some fields, smoothest first."""
    readings = []
    for field in fields:
        layout = _layout_around(field, matrix.shape[1])
        column = decode(compile_layout(layout), matrix, sizes)[field.id]
        if field.kind is FieldKind.TEXT and not _is_mostly_printable(column):
            continue
        words = _reading_words(field)
        readings.append(Reading(words, field, column, _judge(column)))
    return sorted(readings, key=lambda reading: reading.smoothness.roughness)


def candidate_fields(bits: Iterable[int]) -> list[Field]:
    """Return one field for each way to read a selection; empty if it has none or more than 64 bytes."""
    chosen = set(bits)
    if not chosen or len(chosen) > 512:
        return []
    high_first = places_of(chosen, low_byte_first=False)
    orders = [high_first]
    if len(high_first.byte_numbers()) > 1:
        orders.append(places_of(chosen, low_byte_first=True))
    fields = [new_field("", places, kind) for kind in _kinds_for(high_first) for places in orders]
    if high_first.is_whole_bytes and len(high_first) >= 16:
        fields.append(new_field("", high_first, FieldKind.TEXT, encoding="latin-1"))
    return fields


@dataclass(frozen=True, slots=True)
class Smoothness:
    """How smooth a curve is.

    Attributes
    ----------
    roughness
        Mean step between neighbours over the mean distance from the median, plus the largest step over the
        range: near 0 for a smooth curve, about 2.3 for noise, infinite if there is nothing to judge. The
        second part tells a sign bit read as magnitude, whose few jumps hardly change a mean.
    largest_step
        The largest step as a share of the range, NaN if there is nothing to judge.
    """

    roughness: float
    largest_step: float


def smoothness(values: NDArray[np.float64]) -> Smoothness:
    """Judge a curve by at most its first 100 000 rows.

    NaN rows count as missing; there is nothing to judge if fewer than three good values are left, less than
    half of them are good, or they are all the same.
    """
    nothing = Smoothness(float("inf"), float("nan"))
    sample = values[:_SAMPLE_ROWS]
    good = sample[np.isfinite(sample)]
    if len(good) < 3 or len(good) * 2 < len(sample):
        return nothing
    with np.errstate(over="ignore", invalid="ignore"):
        spread = float(np.abs(good - np.median(good)).mean())
        steps = np.abs(np.diff(good))
        mean_step, largest, reach = float(steps.mean()), float(steps.max()), float(np.ptp(good))
    if not spread or not np.isfinite(spread + mean_step + reach):
        return nothing
    return Smoothness(mean_step / spread + largest / reach, largest / reach)


def _judge(column: FieldColumn) -> Smoothness:
    """Judge a reading; floats with many subnormal values are no measurements."""
    values = column.plot_values()
    if column.field.kind is FieldKind.FLOAT:
        smallest = {16: 2.0**-14, 32: 2.0**-126, 64: 2.0**-1022}[len(column.field.places)]
        sample = np.abs(values[:_SAMPLE_ROWS])
        if ((sample > 0) & (sample < smallest)).mean() > _MOST_SUBNORMAL:
            return Smoothness(float("inf"), float("nan"))
    return smoothness(values)


def _is_mostly_printable(column: FieldColumn) -> bool:
    """Whether nine in ten bytes are printable ASCII or padding."""
    if column.content is None or not len(column.content):
        return False
    content = column.content[:_SAMPLE_ROWS]
    fits = ((content >= 32) & (content < 127)) | (content == 0)
    return bool(fits.mean() > 0.9 and (content != 0).any())


def _kinds_for(places: Places) -> list[FieldKind]:
    width = len(places)
    if width == 1:
        return [FieldKind.FLAG]
    if width > _MAX_NUMBER_BITS:
        return []
    kinds = [FieldKind.UNSIGNED, FieldKind.SIGNED]
    if width in (16, 32, 64):
        kinds.append(FieldKind.FLOAT)
    return kinds


def _layout_around(field: Field, size: int) -> Layout:
    """Return a layout that holds only this field, under a name, since validation wants one."""
    return new_layout(
        "selection", Applies(address=0), min(size, 64), [msgspec.structs.replace(field, name="selection")]
    )


def _reading_words(field: Field) -> str:
    kind = field.kind.words
    if field.kind is FieldKind.FLOAT:
        kind = {16: "half float", 32: "single float", 64: "double float"}[len(field.places)]
    order = "" if field.kind is FieldKind.TEXT else field.places.order_words()
    return f"{kind}, {order}" if order else kind


def bits_in_words(bits: Iterable[int]) -> str:
    """Return a selection in short, such as ``B2–B3, 16 bits`` or ``B4[2] B0[7], 2 bits``."""
    places = places_of(bits, low_byte_first=False)
    numbers = places.byte_numbers()
    width = len(places)
    count = f"{width} bit" if width == 1 else f"{width} bits"
    if places.is_whole_bytes and len(numbers) > 1 and numbers[-1] - numbers[0] == len(numbers) - 1:
        return f"B{numbers[0]}–B{numbers[-1]}, {count}"
    return f"{places}, {count}"
