"""Values in conditions: fields, facts of frames, places, literals and what is reckoned from them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..expressions.operation import Operation, Result, constant, whole_column
from ..expressions.quantities import converted, scale_of, unit_words
from ..expressions.tree import ExpressionError
from ..expressions.units import Powers, Side, parse_unit
from ..layouts.model import Field, Layout
from ..layouts.numbers import format_exact
from ..layouts.places import Places
from ..pairing.exchanges import response_times
from ..progress import Progress
from ..reading.meaning import Meaning
from ..words import in_groups
from .across import lane_gaps
from .rows import Rows
from .tree import ConditionError

KIND, FLAGS, TIMES, BYTES, DECODED = range(5)
"""What it costs to know a fact, from what is the same in a whole kind to what has to be decoded."""


class Value(ABC):
    """A number in a condition, one a frame; not known where it is not there, or not good.

    Attributes
    ----------
    cost
        :data:`KIND` to :data:`DECODED`.
    """

    cost: int = KIND

    @abstractmethod
    def over(self, rows: Rows) -> Result:
        """Return the value of each frame."""

    @abstractmethod
    def unit(self, layout: Layout | None) -> str | Powers | None:
        """Return its unit in frames that a layout reads; None where it is not known."""

    @abstractmethod
    def words(self) -> str:
        """Return what it is, as a sentence says it."""

    def below(self) -> Iterator[Value]:
        """Yield the values it is reckoned from."""
        return iter(())


@dataclass(frozen=True, eq=False)
class Literal(Value):
    """A number as written, with a unit or without."""

    value: Fraction
    written_unit: str = ""

    def over(self, rows: Rows) -> Result:
        return constant(self.value, len(rows))

    def unit(self, layout: Layout | None) -> str:
        return self.written_unit

    def words(self) -> str:
        return f"{in_groups(format_exact(self.value))} {self.written_unit}".strip()


@dataclass(frozen=True, eq=False)
class FieldValue(Value):
    """A field by its name, of any message that has it or of one that is named."""

    name: str
    message: str | None = None
    wants_raw: bool = False
    cost: int = DECODED

    def over(self, rows: Rows) -> Result:
        found = self.column(rows)
        if found is None:
            return nothing(len(rows))
        column = found[1]
        values = column.raw if self.wants_raw else column.value
        if values is None:
            return nothing(len(rows))
        known = column.has_value
        return whole_column(values, known)

    def column(self, rows: Rows) -> tuple[Field, FieldColumn] | None:
        """Return the field and its values in frames that have it."""
        field = rows.field(self.name, self.message)
        return None if field is None else (field, rows.column(field))

    def in_layout(self, layout: Layout) -> Field | None:
        """Return the field in a layout, None if it has none or is another message."""
        if self.message is not None and layout.name != self.message:
            return None
        return next((field for field in self.among(layout) if field.name == self.name), None)

    def among(self, layout: Layout) -> Iterable[Field]:
        """Yield the fields of a layout that it may be."""
        return layout.once_a_frame()

    def unit(self, layout: Layout | None) -> str | None:
        field = self.in_layout(layout) if layout is not None else None
        return None if field is None else "" if self.wants_raw else field.unit

    def words(self) -> str:
        raw = "the bits of " if self.wants_raw else ""
        return f"{raw}{self.name}" + (f" of {self.message}" if self.message else "")


def nothing(count: int) -> Result:
    """Return a value that is not known in any row."""
    return Result(np.zeros(count), np.zeros(count, np.bool_), None)


@dataclass(frozen=True, eq=False)
class AddressValue(Value):
    """Who is addressed: of an address that also says which register or connection, the device, unit or port."""

    def over(self, rows: Rows) -> Result:
        return constant(Fraction(rows.facts.device), len(rows))

    def unit(self, layout: Layout | None) -> str:
        return ""

    def words(self) -> str:
        return "the address"


@dataclass(frozen=True, eq=False)
class SizeValue(Value):
    """Payload bytes."""

    cost: int = FLAGS

    def over(self, rows: Rows) -> Result:
        return Result(rows.sizes.astype(np.int64), None, (0, 1 << 32))

    def unit(self, layout: Layout | None) -> str:
        return ""

    def words(self) -> str:
        return "the size"


@dataclass(frozen=True, eq=False)
class TimeValue(Value):
    """Seconds since the capture's first frame."""

    cost: int = TIMES

    def over(self, rows: Rows) -> Result:
        return _seconds(rows.times - rows.capture.origin_ns)

    def unit(self, layout: Layout | None) -> str:
        return "s"

    def words(self) -> str:
        return "the time"


@dataclass(frozen=True, eq=False)
class GapValue(Value):
    """Time since the frame before of this kind; the first has none."""

    cost: int = TIMES

    def over(self, rows: Rows) -> Result:
        return _seconds(rows.times - rows.before_ns, None if not rows.is_first.any() else ~rows.is_first)

    def unit(self, layout: Layout | None) -> str:
        return "s"

    def words(self) -> str:
        return "the time since the frame before of its kind"


class AcrossKinds(Value):
    """A time that is worked out over the whole capture once, and looked up by row.

    Attributes
    ----------
    nanoseconds : int64 (frames of the capture,), None until it is known
        -1 where there is none.
    """

    cost: int = TIMES

    def __init__(self) -> None:
        self.nanoseconds: NDArray[np.int64] | None = None

    @abstractmethod
    def work_out(self, meaning: Meaning, progress: Progress) -> NDArray[np.int64]:
        """Return the time of every frame of a capture, by row."""

    def over(self, rows: Rows) -> Result:
        assert self.nanoseconds is not None, "it is worked out before any kind is asked"
        found = self.nanoseconds[rows.rows]
        return _seconds(found, found >= 0)

    def unit(self, layout: Layout | None) -> str:
        return "s"


class LaneGapValue(AcrossKinds):
    """Time since the frame before on the lane, of whatever kind."""

    def work_out(self, meaning: Meaning, progress: Progress) -> NDArray[np.int64]:
        return lane_gaps(meaning.capture, progress)

    def words(self) -> str:
        return "the time since the frame before on its lane"


class ResponseTimeValue(AcrossKinds):
    """How long after its request an answer came."""

    def work_out(self, meaning: Meaning, progress: Progress) -> NDArray[np.int64]:
        return response_times(meaning, progress)

    def words(self) -> str:
        return "the time an answer took"


def _seconds(nanoseconds: NDArray[np.int64], known: NDArray[np.bool_] | None = None) -> Result:
    # divided, not multiplied: so it is the float nearest to the decimal number that a person writes
    return Result(nanoseconds / 1e9, known, None)


@dataclass(frozen=True, eq=False)
class PlaceValue(Value):
    """Bits at a place of the payload, taken as a number without sign; where a frame ends before, there is none."""

    places: Places
    cost: int = BYTES

    def over(self, rows: Rows) -> Result:
        needed = self.places.size_needed
        known = rows.sizes >= needed
        matrix = rows.frames.matrix
        if matrix.shape[1] < needed:
            return nothing(len(rows))
        value = np.zeros(len(rows), np.uint64)
        for bit in self.places.bits:
            one = (matrix[:, bit // 8] >> np.uint8(bit % 8)) & np.uint8(1)
            value = (value << np.uint64(1)) | one.astype(np.uint64)
        if len(self.places) > 63:
            return Result(value.astype(np.float64), known, None)
        return Result(value.astype(np.int64), known, (0, (1 << len(self.places)) - 1))

    def unit(self, layout: Layout | None) -> str:
        return ""

    def words(self) -> str:
        return f"the bits {self.places}"


@dataclass(frozen=True, eq=False)
class Reckoned(Value):
    """An operation of the language over other values."""

    operation: Operation
    arguments: tuple[Value, ...]

    @property
    def cost(self) -> int:  # type: ignore[override]
        return max((one.cost for one in self.arguments), default=KIND)

    def over(self, rows: Rows) -> Result:
        parts = [one.over(rows) for one in self.arguments]
        if self.operation.symbol in ("+", "-") and len(parts) == 2:
            parts[1] = into_unit(self.arguments[1], parts[1], self.arguments[0].unit(rows.layout), rows.layout)
        with np.errstate(all="ignore"):
            return self.operation.over_columns(parts)

    def unit(self, layout: Layout | None) -> Powers | None:
        if any(one.unit(layout) is None for one in self.arguments):
            # frames of this layout have no such field, so there is nothing to have a unit
            return None
        sides = [Side(_powers(one.unit(layout)), is_bare(one)) for one in self.arguments]
        try:
            return self.operation.unit(sides)
        except ExpressionError:
            same = [one for one in self.arguments if not is_bare(one)]
            for one in same[1:]:
                check_same(same[0], one, layout)
            return _powers(same[0].unit(layout))

    def words(self) -> str:
        said = [one.words() for one in self.arguments]
        if not self.operation.symbol:
            return f"{self.operation.name} of {' and '.join(said)}"
        return f"{self.operation.symbol}{said[0]}" if len(said) == 1 else f"{said[0]} {self.operation.symbol} {said[1]}"

    def below(self) -> Iterator[Value]:
        return iter(self.arguments)


def is_bare(value: Value) -> bool:
    """Return whether a value is a number as written without a unit, which goes with any."""
    return isinstance(value, Literal) and not value.written_unit


def check_same(one: Value, other: Value, layout: Layout | None) -> None:
    """Raise :class:`ConditionError` if two values are of different quantities in frames that a layout reads."""
    if is_bare(one) or is_bare(other):
        return
    units = one.unit(layout), other.unit(layout)
    if None in units:
        return
    ours, theirs = scale_of(units[0]), scale_of(units[1])
    if units[0] != units[1] and (ours is None or theirs is None or ours.base != theirs.base):
        raise ConditionError(
            f"{one.words()} is in {unit_words(units[0])}, which cannot be compared with {unit_words(units[1])}."
        )


def into_unit(value: Value, result: Result, wanted: str | Powers | None, layout: Layout | None) -> Result:
    """Return the result of a value in another unit; a literal exactly, a bare number as it is."""
    own = value.unit(layout)
    if is_bare(value) or own is None or wanted is None or own == wanted:
        return result
    if isinstance(value, Literal):
        return constant(converted(value.value, value.written_unit, wanted), len(result.values))
    ours, theirs = scale_of(own), scale_of(wanted)
    if ours is None or theirs is None or (ours.factor, ours.zero) == (theirs.factor, theirs.zero):
        return result
    factor, zero = float(ours.factor / theirs.factor), float((ours.zero - theirs.zero) / theirs.factor)
    return Result(result.values * factor + zero, result.known, None)


def _powers(unit: str | Powers | None) -> Powers | None:
    return parse_unit(unit) if isinstance(unit, str) else unit


def all_values(values: Iterable[Value]) -> Iterator[Value]:
    """Yield values and all that they are reckoned from."""
    for value in values:
        yield value
        yield from all_values(value.below())


def all_fields(values: Iterable[Value]) -> Iterator[FieldValue]:
    """Yield the fields of several values."""
    return (value for value in all_values(values) if isinstance(value, FieldValue))
