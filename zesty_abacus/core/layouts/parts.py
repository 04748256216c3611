"""Parts: what a message holds behind or beside its fixed fields, when it moves.

A layout begins with fixed fields, whose places count from the payload's first byte, and goes on with parts,
each behind the one before unless ``start`` says otherwise. In a part, places count from where the part, or
its item, starts.

============  =======================================================================================
`Group`       fields that move together: once, an array by count, by bytes or to the end; may hold parts
`Run`         a string or raw bytes with a length, up to an end, or all the rest
`Elements`    a list of type, length and value; each type has fields of its own
`TextLine`    text columns with a separator
`Carried`     the rest, or a stretch of it, is read by another layout
============  =======================================================================================
"""

from __future__ import annotations

import enum
from collections.abc import Iterator
from uuid import UUID

import msgspec

from ..expressions.expression import Expression
from .fields import Field, Selected
from .raw_sets import RawSet


class Repeat(enum.Enum):
    """How often the items of a group follow one another."""

    ONCE = "once"
    COUNT = "count"
    """As many items as ``amount`` says."""
    BYTES = "bytes"
    """Items as long as they fit the bytes that ``amount`` says."""
    TO_END = "to-end"
    """Items as long as they fit the payload, less ``amount`` bytes if there is an amount."""


class Axis(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where the items of an array stand: ``start + item * step``, so that the array is a curve."""

    name: str
    start: Expression
    step: Expression
    unit: str = ""


class _Part(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="part"
):
    """What every part has.

    Attributes
    ----------
    start
        First byte, counted from the start of the enclosing part; None is behind what comes before. A header
        length that moves what follows is said here, as ``header_words * 4``.
    align
        The start is moved up to a multiple of this many bytes from the enclosing start.
    selected
        The selector that must hold for the part to be present; None is always.
    """

    id: UUID
    name: str
    start: Expression | None = None
    align: int = 1
    selected: Selected | None = None
    note: str = ""


class Group(_Part, frozen=True, kw_only=True, omit_defaults=True, tag="group"):
    """Fields that move together.

    Attributes
    ----------
    size
        Bytes of the fixed fields of one item; what ``parts`` hold comes behind them.
    axis
        Of an array: where each item stands.
    limit
        Of a group that is there once: the bytes it and its parts may take; None is all the rest.
    """

    size: int
    fields: tuple[Field, ...] = ()
    parts: tuple[Part, ...] = ()
    repeat: Repeat = Repeat.ONCE
    amount: Expression | None = None
    axis: Axis | None = None
    limit: Expression | None = None


class Run(_Part, frozen=True, kw_only=True, omit_defaults=True, tag="run"):
    """A string or raw bytes.

    Attributes
    ----------
    field
        Of the kind text or raw bytes, without places.
    length
        How many bytes; None is up to ``end``, or all the rest.
    end
        Hex digits of the bytes that end it, which are not part of it; empty is none.
    """

    field: Field
    length: Expression | None = None
    end: str = ""


class ElementCase(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """What elements of some types hold; places count from the first byte of the value."""

    id: UUID
    name: str
    types: RawSet
    fields: tuple[Field, ...] = ()
    parts: tuple[Part, ...] = ()
    note: str = ""


class Elements(_Part, frozen=True, kw_only=True, omit_defaults=True, tag="elements"):
    """A list of elements, each with a type, a length and a value of that length.

    Attributes
    ----------
    head
        Bytes before the value, 1 to 8.
    type, length
        Unsigned fields with places within the head.
    extra
        Bytes of the value are ``length * length_unit + extra``; -1 where the length counts the type.
    amount
        Bytes of the whole list; None is to the end.
    ends
        Types that end the list; such an element has no length and no value.
    """

    head: int
    type: Field
    length: Field
    length_unit: int = 1
    extra: int = 0
    amount: Expression | None = None
    ends: RawSet = RawSet()
    cases: tuple[ElementCase, ...] = ()


class TextLine(_Part, frozen=True, kw_only=True, omit_defaults=True, tag="text-line"):
    """Text in columns.

    Attributes
    ----------
    columns
        Fields without places, in order; numbers are read in their ``base``. A column with an empty name is
        passed over.
    separator, quote
        One character each; no quote if empty.
    begins, ends
        What stands before the first column and behind the last one, and belongs to neither.
    """

    columns: tuple[Field, ...]
    separator: str = ","
    quote: str = ""
    begins: str = ""
    ends: str = ""


class Carried(_Part, frozen=True, kw_only=True, omit_defaults=True, tag="carried"):
    """A payload inside the payload, read by another layout of the library.

    Attributes
    ----------
    length
        Bytes it has; None is all the rest.
    """

    layout: UUID
    length: Expression | None = None


Part = Group | Run | Elements | TextLine | Carried

PART_WORDS = {
    Group: "group",
    Run: "string",
    Elements: "type and length list",
    TextLine: "text line",
    Carried: "carried",
}


def part_words(part: Part) -> str:
    """Return what a part is, in words, such as ``array, counted``."""
    if isinstance(part, Group):
        return {
            Repeat.ONCE: "optional part" if part.selected is not None else "part",
            Repeat.COUNT: "array, counted",
            Repeat.BYTES: "array, by its bytes",
            Repeat.TO_END: "array to the end",
        }[part.repeat]
    return PART_WORDS[type(part)]


def part_fields(part: Part) -> Iterator[Field]:
    """Yield every field of a part and of the parts in it, in reading order."""
    if isinstance(part, Group):
        yield from part.fields
        yield from _all(part.parts)
    elif isinstance(part, Run):
        yield part.field
    elif isinstance(part, TextLine):
        yield from part.columns
    elif isinstance(part, Elements):
        yield part.type
        yield part.length
        for case in part.cases:
            yield from case.fields
            yield from _all(case.parts)


def _all(parts: tuple[Part, ...]) -> Iterator[Field]:
    for part in parts:
        yield from part_fields(part)


def part_expressions(part: Part) -> Iterator[tuple[str, Expression]]:
    """Yield the expressions of a part itself, each with the attribute it stands in."""
    names = ("start", "amount", "length", "limit")
    for name in names:
        expression = getattr(part, name, None)
        if isinstance(expression, Expression):
            yield name, expression
    if isinstance(part, Group) and part.axis is not None:
        yield "axis", part.axis.start
        yield "axis", part.axis.step
