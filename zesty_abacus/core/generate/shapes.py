"""What moves, as structs: fields in what order behind one another, what is there once, and what is a list of structs.

A language that carries it has a struct for every scope of names: the message, an item of a list, an element's case, a
layout that is carried. What stands in one of them is read and written from where it begins.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

from ..expressions.expression import Expression
from ..expressions.tree import Number
from ..layouts.fields import Selected
from ..layouts.model import Check, Group
from ..layouts.parts.elements import Elements
from ..layouts.parts.labels import Labels
from ..layouts.parts.packed import Packed
from ..layouts.parts.run import Run
from ..layouts.parts.text_line import TextLine
from .carried_fields import CarriedField

if TYPE_CHECKING:
    from .carried_message import CarriedMessage


@dataclass(frozen=True, slots=True, eq=False)
class Stretch:
    """Bytes that begin together.

    Attributes
    ----------
    fields
        Those with places, counted from where it begins.
    size
        Bytes that have to be there.
    reach
        Where what stands behind begins, counted from where it begins itself.
    moves
        What stands behind, in order.
    checks
        Over this stretch by itself.
    is_payload
        Whether it is a payload of its own, whose size expressions may name and whose checks go to its end.
    """

    fields: tuple[CarriedField, ...]
    size: int
    reach: int
    moves: tuple[Move, ...] = ()
    checks: tuple[Check, ...] = ()
    is_payload: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Move:
    """A part that stands behind what comes before it.

    Attributes
    ----------
    name
        For people.
    start
        Where it begins, counted from the stretch around it; None is behind what comes before.
    selected
        What has to hold for it to be there.
    """

    name: str
    start: Expression | None
    align: int
    selected: Selected | None


@dataclass(frozen=True, slots=True, eq=False)
class MovedStretch(Move):
    """Fields that move together, in the same struct as those around them."""

    stretch: Stretch
    limit: Expression | None


@dataclass(frozen=True, slots=True, eq=False)
class MovedField(Move):
    """A text, raw bytes, digits, or a name of labels."""

    one: CarriedField
    part: Run | Labels


@dataclass(frozen=True, slots=True, eq=False)
class MovedLine(Move):
    """A line of text; None stands for a column that is passed over."""

    columns: tuple[CarriedField | None, ...]
    line: TextLine


@dataclass(frozen=True, slots=True, eq=False)
class MovedStruct(Move):
    """A struct in the struct.

    Attributes
    ----------
    member
        Its name in the struct.
    limit
        Bytes that it may take.
    """

    inner: CarriedMessage
    member: str
    limit: Expression | None = None


@dataclass(frozen=True, slots=True, eq=False)
class MovedList(Move):
    """A list of structs.

    Attributes
    ----------
    items
        What each of them is.
    member
        Its name in the struct; behind it with ``_count`` how many there are.
    most
        How many there can be at most; None where nothing says.
    part
        What says how many there are, and how they follow one another.
    """

    items: CarriedMessage
    member: str
    most: int | None
    part: Group | Elements | TextLine | Packed


@dataclass(frozen=True, slots=True, eq=False)
class MovedRows(MovedList):
    """Columns of a line that follow one another again and again; the line takes them apart, not its items."""

    part: TextLine
    columns: tuple[CarriedField | None, ...]


MOST_ITEMS, MOST_TEXT = 16, 64
"""Items of a list and bytes of a text that a struct has room for where the layout does not say."""


def every_move(stretch: Stretch | None) -> Iterator[Move]:
    """Yield what stands behind a stretch in the same struct, in order."""
    for move in stretch.moves if stretch is not None else ():
        yield move
        if isinstance(move, MovedStretch):
            yield from every_move(move.stretch)


def every_stretch(stretch: Stretch | None) -> Iterator[Stretch]:
    """Yield a stretch and those behind it in the same struct."""
    if stretch is not None:
        yield stretch
    for move in every_move(stretch):
        if isinstance(move, MovedStretch):
            yield move.stretch


def constant(expression: Expression | None) -> int | None:
    """Return the whole number that an expression is, None if it is another thing."""
    tree = expression.tree if expression is not None else None
    if isinstance(tree, Number) and tree.value.denominator == 1 and tree.value >= 0:
        return int(Fraction(tree.value))
    return None
