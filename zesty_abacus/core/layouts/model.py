"""Layouts: immutable values that say what a message means.

An edit makes a new layout; undo, history and comparison follow from that. Layouts and fields carry a
UUID, so that a rename is not a delete.
"""

from __future__ import annotations

import enum
from collections.abc import Iterable
from fractions import Fraction
from uuid import UUID, uuid4

import msgspec

from .places import Places


class FieldKind(enum.Enum):
    """How a field's bits are read."""

    UNSIGNED = "unsigned"
    SIGNED = "signed"
    """Two's complement."""
    FLOAT = "float"
    """IEEE 754 half, single or double by its 16, 32 or 64 bits."""
    FLAG = "flag"
    NAMES = "names"
    """An unsigned number whose values have names."""
    TEXT = "text"
    BYTES = "bytes"

    @property
    def is_number(self) -> bool:
        """Whether values of this kind are scaled numbers."""
        return self in (FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.FLOAT)

    @property
    def words(self) -> str:
        """Return the kind as the interface says it."""
        return _KIND_WORDS[self]


_KIND_WORDS = {
    FieldKind.UNSIGNED: "unsigned",
    FieldKind.SIGNED: "signed",
    FieldKind.FLOAT: "floating point",
    FieldKind.FLAG: "flag",
    FieldKind.NAMES: "named values",
    FieldKind.TEXT: "text",
    FieldKind.BYTES: "raw bytes",
}


class NamedValue(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A raw value and what it is called."""

    raw: int
    label: str


class Selected(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A field is present only while another field has one of these raw values."""

    field: UUID
    values: tuple[int, ...]


class Field(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """A run of bits with a meaning.

    Attributes
    ----------
    places
        Where the bits lie and in which order.
    ratio, offset
        ``value = raw * ratio + offset``, exact.
    low, high
        Values outside are flagged, both ends included; None is no limit.
    unavailable
        Raw values that mean that there is no value.
    names
        Names of raw values; required for the kind ``names``, allowed for numbers and flags.
    selected
        The selector that must hold for the field to be present; None is always.
    encoding
        Of text: one of :data:`TEXT_ENCODINGS`.
    """

    id: UUID
    name: str
    places: Places
    kind: FieldKind = FieldKind.UNSIGNED
    ratio: Fraction = Fraction(1)
    offset: Fraction = Fraction(0)
    unit: str = ""
    low: Fraction | None = None
    high: Fraction | None = None
    unavailable: tuple[int, ...] = ()
    names: tuple[NamedValue, ...] = ()
    selected: Selected | None = None
    encoding: str = "ascii"
    note: str = ""

    @property
    def is_signed(self) -> bool:
        """Whether raw values can be negative."""
        return self.kind is FieldKind.SIGNED

    @property
    def raw_is_number(self) -> bool:
        """Whether the bits are read as one integer (everything but text and raw bytes)."""
        return self.kind not in (FieldKind.TEXT, FieldKind.BYTES)

    def raw_range(self) -> tuple[int, int]:
        """Return the lowest and the highest raw value the bits can hold."""
        width = len(self.places)
        return (-(1 << width >> 1), (1 << width >> 1) - 1) if self.is_signed else (0, (1 << width) - 1)


TEXT_ENCODINGS = ("ascii", "latin-1", "utf-8", "utf-16-le", "utf-16-be")


class Applies(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which frames a layout reads.

    Attributes
    ----------
    address
        The CAN identifier.
    extended
        Whether it is a 29-bit identifier.
    lanes
        Names of the lanes; empty means any lane that speaks the protocol.
    """

    address: int
    protocol: str = "can"
    extended: bool = False
    lanes: tuple[str, ...] = ()

    def matches(self, lane: str, protocol: str, address: int, extended: bool) -> bool:
        """Return whether a frame with this origin is read by the layout."""
        return (
            address == self.address
            and extended == self.extended
            and protocol == self.protocol
            and (not self.lanes or lane in self.lanes)
        )

    def address_text(self) -> str:
        """Return the address as engineers write it: three hex digits, eight when extended."""
        return f"0x{self.address:08X}" if self.extended else f"0x{self.address:03X}"


class Layout(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """What one message means.

    Attributes
    ----------
    size
        Payload bytes a frame should have.
    sender
        Who sends it, in words.
    """

    id: UUID
    name: str
    applies: Applies
    size: int
    fields: tuple[Field, ...] = ()
    sender: str = ""
    note: str = ""

    def field(self, field_id: UUID) -> Field:
        """Return the field with this id.

        Raises
        ------
        KeyError
            If there is none.
        """
        for field in self.fields:
            if field.id == field_id:
                return field
        raise KeyError(field_id)

    def field_named(self, name: str) -> Field | None:
        """Return the field with this name, or None."""
        return next((field for field in self.fields if field.name == name), None)

    def with_field(self, field: Field) -> Layout:
        """Return a layout with the field of the same id replaced, or the field added in order of place."""
        if any(known.id == field.id for known in self.fields):
            fields = tuple(field if known.id == field.id else known for known in self.fields)
        else:
            fields = tuple(sorted((*self.fields, field), key=lambda f: min(f.places.bits, key=_reading_order)))
        return msgspec.structs.replace(self, fields=fields)

    def without_field(self, field_id: UUID) -> Layout:
        """Return a layout without a field; fields it selects are then always present."""
        kept = (
            msgspec.structs.replace(field, selected=None)
            if field.selected is not None and field.selected.field == field_id
            else field
            for field in self.fields
            if field.id != field_id
        )
        return msgspec.structs.replace(self, fields=tuple(kept))

    def owners(self) -> dict[int, list[int]]:
        """Return, for each explained bit, the numbers of the fields it belongs to."""
        owned: dict[int, list[int]] = {}
        for number, field in enumerate(self.fields):
            for bit in field.places:
                owned.setdefault(bit, []).append(number)
        return owned


def _reading_order(bit: int) -> int:
    """Number a bit by byte, then from the highest bit down, as people read a payload."""
    return bit // 8 * 8 + 7 - bit % 8


def new_field(name: str, places: Places, kind: FieldKind = FieldKind.UNSIGNED, **settings: object) -> Field:
    """Return a field with an identity of its own."""
    return Field(id=uuid4(), name=name, places=places, kind=kind, **settings)  # type: ignore[arg-type]


def new_layout(name: str, applies: Applies, size: int, fields: Iterable[Field] = ()) -> Layout:
    """Return a layout with an identity of its own."""
    return Layout(id=uuid4(), name=name, applies=applies, size=size, fields=tuple(fields))
