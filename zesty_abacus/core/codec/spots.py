"""Where a field of a frame under construction is written: in bits of a stretch, or in a column of text."""

from __future__ import annotations

from abc import ABC, abstractmethod
from fractions import Fraction
from typing import TYPE_CHECKING

from ..layouts.model import Field
from .encode import Value, get_value, whole_of
from .scalar import bits_of_raw
from .written import Said

if TYPE_CHECKING:
    from .region import Region

_WIDTH_IN_TEXT = 64
_UNREADABLE = -1
"""What decoding has, bit by bit, where digits are none."""

Numbers = tuple[int | None, Fraction | None]


class Spot(ABC):
    """A field and where it is written.

    Attributes
    ----------
    region
        In which it lies.
    start
        Byte from which its places count; a column of text has none.
    is_number
        Whether expressions can name it.
    """

    start: int | None = None

    def __init__(self, field: Field, region: Region) -> None:
        self.field = field
        self.region = region
        self.is_number: bool = field.raw_is_number

    @property
    def is_given(self) -> bool:
        """Return whether a value was given or worked out that stays."""
        return self.field.name in self.region.given

    @abstractmethod
    def numbers(self) -> Numbers:
        """Return raw number and value as they stand, None where there is none."""

    @abstractmethod
    def bits(self) -> tuple[int, int]:
        """Return the number as it stands as bits, in two's complement, and how many they are."""

    @abstractmethod
    def put_bits(self, bits: int) -> None:
        """Write a number that is given as bits, of a check that may be filled in again."""

    @abstractmethod
    def settle(self, raw: int) -> None:
        """Write a raw value that was worked out, and stays."""

    @abstractmethod
    def give(self, value: Value) -> None:
        """Write a value that was worked out, and stays."""


class SpotInBytes(Spot):
    """A field with places, counted from byte ``start`` of its region."""

    def __init__(self, field: Field, region: Region, start: int) -> None:
        super().__init__(field, region)
        self.start: int = start
        self.is_number = field.raw_is_number and len(field.places) > 0

    def numbers(self) -> Numbers:
        """Return what the bytes hold there, zeros where they are not written yet."""
        return get_value(self._data(), self.field)

    def bits(self) -> tuple[int, int]:
        """Return the number that the bits are read as, cut to their width, and how many they are."""
        raw, _ = self.numbers()
        width = len(self.field.places) or _WIDTH_IN_TEXT
        return (_UNREADABLE if raw is None else raw) & ((1 << width) - 1), width

    def put_bits(self, bits: int) -> None:
        """Write the bits that are read as a number, of which as many are looked at as the field has."""
        width = len(self.field.places)
        raw = bits & ((1 << width) - 1)
        if self.field.is_signed and raw >> width - 1:
            raw -= 1 << width
        low, high = self.field.raw_range()
        if not low <= raw <= high:
            raise self.region.refused(
                f"its check is {bits:#x}, which {width} bits read as {self.field.kind.words} never are.",
                self.field.name,
            )
        self.region.put(self.field, self.start, bits_of_raw(self.field, raw))

    def settle(self, raw: int) -> None:
        """Write the bits that stand for a raw value."""
        self.region.put(self.field, self.start, bits_of_raw(self.field, raw))
        self.region.given.add(self.field.name)

    def give(self, value: Value) -> None:
        """Write a value as if it had been given."""
        self.region.set(self.field, self.start, value)

    def _data(self) -> bytes:
        return bytes(self.region.data[self.start :]).ljust(self.field.places.size_needed, b"\0")


class SpotInText(Spot):
    """A column of text, and what it says; None where nothing is written.

    It has no width of its own: what is worked out for it is noted, and everything is written again.
    """

    def __init__(self, field: Field, region: Region, said: Said | None) -> None:
        super().__init__(field, region)
        self._said = said

    def numbers(self) -> Numbers:
        """Return what will be read back from the text."""
        return (None, None) if self._said is None else (self._said.raw, self._said.value)

    def bits(self) -> tuple[int, int]:
        """Return the lowest 64 bits of the raw number."""
        raw = 0 if self._said is None else self._said.raw
        return raw & ((1 << _WIDTH_IN_TEXT) - 1), _WIDTH_IN_TEXT

    def put_bits(self, bits: int) -> None:
        """Note them as the raw number."""
        self.region.work_out(self.field, bits)

    def settle(self, raw: int) -> None:
        """Note the raw number."""
        self.region.work_out(self.field, raw)

    def give(self, value: Value) -> None:
        """Note the raw number of a value."""
        self.region.work_out(self.field, whole_of(self.field, value)[0])
