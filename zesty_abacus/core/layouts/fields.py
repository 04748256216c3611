"""Fields: a run of bits with a meaning."""

from __future__ import annotations

import enum
from fractions import Fraction
from uuid import UUID, uuid4

import msgspec

from .places import Places
from .raw_sets import RawSet
from .symbols import PACKED, Symbol, SymbolCode, code_of


class FieldKind(enum.Enum):
    """How a field's bits are read."""

    UNSIGNED = "unsigned"
    SIGNED = "signed"
    """Two's complement."""
    SIGN_MAGNITUDE = "sign-magnitude"
    """The top bit is the sign, the others are the magnitude."""
    ONES_COMPLEMENT = "ones-complement"
    """Negative numbers are the inverse of the positive ones."""
    BCD = "bcd"
    """Decimal digits of four bits each."""
    BCD_BYTES = "bcd-bytes"
    """Decimal digits of a byte each, in its lower half; an upper half of 0 or 3 (a digit in ASCII) is allowed."""
    GRAY = "gray"
    """Reflected binary code: neighbours differ in one bit."""
    FLOAT = "float"
    """IEEE 754 half, single or double by its 16, 32 or 64 bits."""
    FLAG = "flag"
    NAMES = "names"
    """An unsigned number whose values have names."""
    BITS = "bits"
    """A set: an unsigned number of which each bit that is set has a name, the lowest bit being 0."""
    TEXT = "text"
    BYTES = "bytes"

    @property
    def is_number(self) -> bool:
        """Whether values of this kind are scaled numbers."""
        return self not in (FieldKind.FLAG, FieldKind.NAMES, FieldKind.BITS, FieldKind.TEXT, FieldKind.BYTES)

    @property
    def is_signed(self) -> bool:
        """Whether raw values of this kind can be negative."""
        return self in (FieldKind.SIGNED, FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT)

    @property
    def words(self) -> str:
        """Return the kind as the interface says it."""
        return _KIND_WORDS[self]


_KIND_WORDS = {
    FieldKind.UNSIGNED: "unsigned",
    FieldKind.SIGNED: "signed",
    FieldKind.SIGN_MAGNITUDE: "sign and magnitude",
    FieldKind.ONES_COMPLEMENT: "ones' complement",
    FieldKind.BCD: "decimal digits",
    FieldKind.BCD_BYTES: "decimal digits, one a byte",
    FieldKind.GRAY: "Gray code",
    FieldKind.FLOAT: "floating point",
    FieldKind.FLAG: "flag",
    FieldKind.NAMES: "named values",
    FieldKind.BITS: "named bits",
    FieldKind.TEXT: "text",
    FieldKind.BYTES: "raw bytes",
}

TEXT_ENCODINGS = ("ascii", "latin-1", "utf-8", "utf-16-le", "utf-16-be", "cp437", "shift_jis", *PACKED)


NO_BITS = "none"
"""What a set is called of which no bit is set."""
_BETWEEN = ", "


class NamedValue(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A raw value, or all from ``raw`` to ``to``, and what it is called; of named bits the number of a bit."""

    raw: int
    label: str
    to: int | None = None

    @property
    def last(self) -> int:
        """The highest raw value with this name."""
        return self.raw if self.to is None else self.to

    def __contains__(self, raw: int) -> bool:
        return self.raw <= raw <= self.last


_NO_AND_YES = NamedValue(0, "no"), NamedValue(1, "yes", to=(1 << 64) - 1)


class Selected(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something is present only while a field has one of these raw values."""

    field: UUID
    values: RawSet


class CurvePoint(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A corner of a table that is interpolated: ``x`` is what is read, ``y`` what it means."""

    x: Fraction
    y: Fraction


class Field(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """A run of bits with a meaning.

    Attributes
    ----------
    places
        Where the bits lie and in which order, counted from the start of the part. Empty for what has no
        fixed bits: a string, or a column of delimited text.
    inverted
        Every bit is turned round before it is read.
    ratio, offset
        ``value = raw * ratio + offset``, exact.
    polynomial
        Coefficients from the constant on, applied to ``raw * ratio + offset``; empty is none.
    table
        Corners with rising ``x``, applied to ``raw * ratio + offset``, straight lines between, held at the ends.
    low, high
        Values outside are flagged, both ends included; None is no limit.
    unavailable, errors
        Raw values that mean that there is no value, and that the sender reports a fault.
    names
        Names of raw values; required for the kind ``names``, allowed for numbers and flags.
    selected
        The selector that must hold for the field to be present; None is always.
    encoding
        Of text: one of :data:`TEXT_ENCODINGS`.
    symbols
        Of text: a code table that its bits are read by instead.
    padding
        Of text: the characters that fill it up at the end.
    base
        Of a number in delimited text: 2, 8, 10 or 16. In base 16 a float is written as its bit pattern, and a negative
        number in two's complement of the digits there are, or with a sign.
    digits
        Of a number in delimited text: how many digits it is written with, zeros in front; 0 is as many as it takes.
    """

    id: UUID
    name: str
    places: Places = Places(())
    kind: FieldKind = FieldKind.UNSIGNED
    inverted: bool = False
    ratio: Fraction = Fraction(1)
    offset: Fraction = Fraction(0)
    polynomial: tuple[Fraction, ...] = ()
    table: tuple[CurvePoint, ...] = ()
    unit: str = ""
    low: Fraction | None = None
    high: Fraction | None = None
    unavailable: RawSet = RawSet()
    errors: RawSet = RawSet()
    names: tuple[NamedValue, ...] = ()
    selected: Selected | None = None
    encoding: str = "ascii"
    symbols: tuple[Symbol, ...] = ()
    padding: str = "\0 "
    base: int = 10
    digits: int = 0
    note: str = ""

    @property
    def is_signed(self) -> bool:
        """Whether raw values can be negative."""
        return self.kind.is_signed

    @property
    def raw_is_number(self) -> bool:
        """Whether the bits are read as one integer (everything but text and raw bytes)."""
        return self.kind not in (FieldKind.TEXT, FieldKind.BYTES)

    @property
    def code(self) -> SymbolCode | None:
        """What reads the bits of a text as symbols; None where its bytes are characters."""
        return code_of(self.encoding, self.symbols) if self.kind is FieldKind.TEXT else None

    @property
    def is_curved(self) -> bool:
        """Whether value and raw value are not simply proportional."""
        return bool(self.polynomial or self.table)

    def raw_range(self) -> tuple[int, int]:
        """Return the lowest and the highest raw value the bits can hold."""
        width = len(self.places)
        if not width:
            # a column of text, of which the sign is written and 64 bits are kept
            return -(1 << 63), (1 << 63) - 1 if self.is_signed else (1 << 64) - 1
        half = 1 << width >> 1
        if self.kind is FieldKind.SIGNED:
            return -half, half - 1
        if self.kind in (FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT):
            return 1 - half, half - 1
        if self.kind in (FieldKind.BCD, FieldKind.BCD_BYTES):
            return 0, 10 ** (width // (4 if self.kind is FieldKind.BCD else 8)) - 1
        return 0, (1 << width) - 1

    @property
    def called(self) -> tuple[NamedValue, ...]:
        """What its values are called: by their names; those of a flag without names are *no* and *yes*."""
        return self.names or (_NO_AND_YES if self.kind is FieldKind.FLAG else ())

    def label_of(self, raw: int) -> str | None:
        """Return the name of a raw value, or None; of named bits the names of those that are set, the lowest first."""
        if self.kind is FieldKind.BITS:
            known = {named.raw: named.label for named in self.names}
            bits = [bit for bit in range(raw.bit_length()) if raw >> bit & 1]
            return _BETWEEN.join(known.get(bit, f"bit {bit}") for bit in bits) or NO_BITS
        return next((named.label for named in self.called if raw in named), None)

    def raw_called(self, text: str) -> int | None:
        """Return the raw value that has a name, as :meth:`label_of` writes it, or None."""
        if self.kind is not FieldKind.BITS:
            return next((named.raw for named in self.called if named.label == text), None)
        bits = {named.label: named.raw for named in self.names}
        words = [word.strip() for word in text.split(_BETWEEN.strip())] if text != NO_BITS else []
        numbers = [bits.get(word, _bit_number(word)) for word in words]
        known = [number for number in numbers if number is not None and number < len(self.places)]
        return sum(1 << bit for bit in set(known)) if len(known) == len(numbers) else None


def _bit_number(word: str) -> int | None:
    """Return the number of a bit that has no name, ``bit 5``."""
    digits = word.removeprefix("bit ")
    return int(digits) if digits != word and digits.isascii() and digits.isdigit() else None


def new_field(name: str, places: Places, kind: FieldKind = FieldKind.UNSIGNED, **settings: object) -> Field:
    """Return a field with an identity of its own."""
    return Field(id=uuid4(), name=name, places=places, kind=kind, **settings)  # type: ignore[arg-type]
