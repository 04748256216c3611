"""A part, check or value that is ready to be dropped into a layout and filled in."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import TYPE_CHECKING

from .fields import Field, FieldKind, new_field
from .places import Places, byte_bits

if TYPE_CHECKING:
    # a layout is made of parts and checks, which bring templates of their own
    from .model import Layout


class NothingToDoError(ValueError):
    """A template that has no place in this layout; the message says why."""


@dataclass(frozen=True, slots=True)
class Template:
    """Something that can be dropped in.

    Attributes
    ----------
    name
        As a menu says it.
    family
        ``moving parts``, ``checks`` or ``values``.
    add
        Returns the layout with it; raises :class:`NothingToDoError` where it has no place.
    reads_lines
        Whether frames that are lines of text tell how it is to be filled in.
    """

    name: str
    family: str
    add: Callable[[Layout], Layout]
    reads_lines: bool = False


def free_name(layout: Layout, word: str) -> str:
    """Return a word, with a number if something of the layout is called so already."""
    return free_among({item.name for item in (*layout.named_items(), *layout.parts, *layout.checks)}, word)


def free_among(taken: Collection[str], word: str) -> str:
    """Return a word, with a number if it is taken already."""
    number = 1
    name = word
    while name in taken:
        number += 1
        name = f"{word} {number}"
    return name


def with_field_for_check(layout: Layout, words: tuple[str, ...], width: int = 8) -> tuple[Layout, Field]:
    """Return the field that looks like the check, and the layout with it.

    It is the one that is called so, else a new one in the last bytes that nobody owns, else the last whole one.

    Parameters
    ----------
    words
        One of them is in the name of the field.
    width
        Bits of the check.
    """
    for field in layout.fields:
        if any(word in field.name.lower() for word in words):
            return layout, field
    free = _last_free_bytes(layout, -(-width // 8))
    if free:
        made = new_field(free_name(layout, words[-1]), Places(byte_bits(free)))
        return layout.with_field(made), made
    whole = [field for field in layout.fields if field.kind is FieldKind.UNSIGNED and len(field.places) % 8 == 0]
    if not whole:
        raise NothingToDoError("A check needs an unsigned field of whole bytes that holds it; make one first.")
    return layout, whole[-1]


def _last_free_bytes(layout: Layout, count: int) -> range:
    """Return the last so many bytes if nobody owns them, before parts that move there are none."""
    taken = {bit // 8 for field in layout.fields for bit in field.places.bits}
    last = range(max(layout.size - count, 0), layout.size)
    is_free = len(last) == count and not taken & set(last)
    return last if is_free and not layout.parts and layout.registers is None else range(0)
