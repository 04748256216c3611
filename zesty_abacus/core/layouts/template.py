"""A part, check or value that is ready to be dropped into a layout and filled in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from .fields import Field, FieldKind

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
    """

    name: str
    family: str
    add: Callable[[Layout], Layout]


def free_name(layout: Layout, word: str) -> str:
    """Return a word, with a number if something of the layout is called so already."""
    taken = {item.name for item in (*layout.named_items(), *layout.parts, *layout.checks)}
    number = 1
    name = word
    while name in taken:
        number += 1
        name = f"{word} {number}"
    return name


def field_for_check(layout: Layout, words: tuple[str, ...]) -> Field:
    """Return the field that looks like the check: by its name, else the last whole byte of its own."""
    for field in layout.fields:
        if any(word in field.name.lower() for word in words):
            return field
    whole = [field for field in layout.fields if field.kind is FieldKind.UNSIGNED and len(field.places) % 8 == 0]
    if not whole:
        raise NothingToDoError("A check needs an unsigned field of whole bytes that holds it; make one first.")
    return whole[-1]
