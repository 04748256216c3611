"""A field as a member of a struct, in whatever language."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from ..layouts.fields import Field, FieldKind
from ..words import added_words

_WIDTH_IN_TEXT = 64
"""Bits of a number that is written in characters."""


class Form(enum.Enum):
    """How a field stands in a payload."""

    PLACED = "placed"
    """Bits at places."""
    VARYING = "varying"
    """Text or raw bytes, of which there are as many as there are."""
    WRITTEN = "written"
    """A number in characters."""
    LABELS = "labels"
    """A text that is put together of labels."""


@dataclass(frozen=True, slots=True, eq=False)
class CarriedField:
    """A field of a struct.

    Attributes
    ----------
    name
        Its identifier within the message.
    bits
        Of the whole number that holds it: 8, 16, 32 or 64; 0 of text and bytes.
    length
        Bytes of text and raw bytes, 0 of numbers. Of text that varies the most that there can be, 0 where nothing says.
    form
    """

    field: Field
    name: str
    bits: int
    length: int
    form: Form = Form.PLACED

    @classmethod
    def placed(cls, field: Field, name: str) -> CarriedField:
        """Return a field of bits at places."""
        width = len(field.places)
        if not field.raw_is_number:
            return cls(field, name, 0, width // 8)
        return cls(field, name, next(bits for bits in (8, 16, 32, 64) if bits >= width), 0)

    @classmethod
    def moved(cls, field: Field, name: str, most: int, *, is_labels: bool = False) -> CarriedField:
        """Return a field in characters or bytes that move, of which there are ``most`` at most; 0 is not known."""
        if not field.raw_is_number:
            return cls(field, name, 0, most, Form.LABELS if is_labels else Form.VARYING)
        return cls(field, name, _WIDTH_IN_TEXT, 0, Form.WRITTEN)

    @property
    def raw(self) -> str:
        """What the raw number is called in the struct."""
        return f"{self.name}_raw"

    @property
    def size(self) -> str:
        """What the number of bytes of a text that varies is called in the struct."""
        return f"{self.name}_size"

    @property
    def known(self) -> str:
        """What says in the struct whether a number in characters was one, or labels a name."""
        return f"{self.name}_known"

    @property
    def has_known(self) -> bool:
        """Whether the struct says that."""
        return self.form in (Form.WRITTEN, Form.LABELS)

    @property
    def varies(self) -> bool:
        """Whether it is a text or bytes of any length."""
        return self.form in (Form.VARYING, Form.LABELS)

    @property
    def tens(self) -> str:
        """What the power of ten of a number in decimals is called in the struct."""
        return f"{self.name}_tens"

    @property
    def has_tens(self) -> bool:
        """Whether it is written in decimals, and may have a point."""
        words = self.field.kind in (FieldKind.NAMES, FieldKind.FLAG)
        return self.form is Form.WRITTEN and self.field.base == 10 and not words

    @property
    def width(self) -> int:
        """Bits of the raw number."""
        return len(self.field.places) or _WIDTH_IN_TEXT

    @property
    def is_signed(self) -> bool:
        """Whether the raw number may be below zero."""
        if self.form is Form.WRITTEN:
            return self.field.base == 10 or self.field.is_signed or self.field.kind is not FieldKind.UNSIGNED
        return self.field.is_signed

    @property
    def raw_range(self) -> tuple[int, int]:
        """The lowest and the highest raw number that the struct can hold and the payload can say."""
        if self.form is Form.WRITTEN:
            return (-(1 << 63), (1 << 63) - 1) if self.is_signed else (0, (1 << 64) - 1)
        return self.field.raw_range()

    @property
    def read_as(self) -> str:
        """Kind, place, scale and offset, for a comment beside it."""
        field = self.field
        scale = "" if (field.ratio, field.offset) == (1, 0) else f" times {field.ratio}"
        unit = f", {field.unit}" if field.unit else ""
        place = field.places if self.form is Form.PLACED else "in characters" if self.is_number else "as long as it is"
        return f"{field.kind.words}, {place}{scale}{added_words(field.offset)}{unit}"

    @property
    def is_number(self) -> bool:
        """Whether the bits are read as one number."""
        return self.field.raw_is_number

    @property
    def unreadable(self) -> int | None:
        """The raw number that says that the digits were none; None where every bit pattern is a number."""
        return (1 << self.bits) - 1 if self.field.kind in (FieldKind.BCD, FieldKind.BCD_BYTES) else None
