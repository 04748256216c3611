"""What changed in one thing of a layout: a field, a part, a check or a computed value, in short sentences."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from ..words import counted, in_groups
from .attribute import Attribute
from .attributes import attribute_text, attributes_of
from .fields import Field
from .model import Layout
from .numbers import format_exact

_NESTED = ("fields", "columns", "parts", "cases")
"""Attributes that hold things of their own."""


@dataclass(frozen=True, slots=True)
class ItemChanges:
    """Says what changed, in the words that the forms have for it.

    Attributes
    ----------
    before, after
        The layouts that the things belong to, which know what fields in them are called.
    """

    before: Layout
    after: Layout

    def of(self, before: Any, after: Any) -> list[str]:
        """Say what differs between two versions of one thing; empty if nothing but its identity does."""
        if isinstance(before, Field) and isinstance(after, Field):
            return field_changes(before, after)
        if type(before) is not type(after):
            return [f"{after.name} is now {after.words()}, was {before.words()}"]
        said: list[str] = []
        for name in after.__struct_fields__:
            if name != "id" and getattr(before, name) != getattr(after, name):
                said += self._of_attribute(name, before, after)
        return said

    def _of_attribute(self, name: str, before: Any, after: Any) -> list[str]:
        old, new = getattr(before, name), getattr(after, name)
        if name == "name":
            return [f"{old} renamed to {new}"]
        if name == "note":
            return [f"note on {after.name} rewritten"]
        if name in _NESTED:
            return self._of_nested(old, new)
        if isinstance(new, Field):
            return field_changes(old, new)
        # what lies in another value, as the coverage of a check, has a line of its own
        lines = [line for line in attributes_of(after) if line.name.partition(".")[0] == name]
        if not lines:
            return [f"{after.name} {name.replace('_', ' ')} is another one"]
        # a field of the same name in a layout of its own is the same to whoever reads it
        return [words for line in lines if (words := self._line(line, before, after))]

    def _line(self, line: Attribute, before: Any, after: Any) -> str:
        old = attribute_text(before, line.name, self.before)
        new = attribute_text(after, line.name, self.after)
        return "" if old == new else f"{after.name} {line.words} {new or 'none'}, was {old or 'none'}"

    def _of_nested(self, before: Iterable[Any], after: Iterable[Any]) -> list[str]:
        old, new = ({item.id: item for item in items} for items in (before, after))
        said: list[str] = []
        for key, item in new.items():
            if key not in old:
                said.append(f"{item.name} added")
            elif old[key] != item:
                said += self.of(old[key], item)
        return said + [f"{item.name} removed" for key, item in old.items() if key not in new]


def field_changes(before: Field, after: Field) -> list[str]:
    """Say what differs between two versions of a field."""
    name = after.name
    parts = [f"{before.name} renamed to {name}"] if before.name != name else []
    for attribute, say in _FIELD_SENTENCES.items():
        old, new = getattr(before, attribute), getattr(after, attribute)
        if old != new:
            parts.append(f"{name} {say(new, old)}")
    if (before.low, before.high) != (after.low, after.high):
        parts.append(f"{name} limits {_limit(after.low)} to {_limit(after.high)}")
    if before.note != after.note:
        parts.append(f"note on {name} rewritten")
    return parts


_FIELD_SENTENCES: dict[str, Callable[[Any, Any], str]] = {
    "kind": lambda new, old: f"is {new.words}, was {old.words}",
    "places": lambda new, old: f"at {new}, was {old}",
    "inverted": lambda new, _old: "is inverted" if new else "is not inverted",
    "ratio": lambda new, old: f"step {format_exact(new)}, was {format_exact(old)}",
    "offset": lambda new, old: f"offset {format_exact(new)}, was {format_exact(old)}",
    "polynomial": lambda new, _old: f"polynomial of {counted(len(new), 'coefficient')}" if new else "has no polynomial",
    "table": lambda new, _old: f"table of {counted(len(new), 'corner')}" if new else "has no table",
    "unit": lambda new, old: f"in {new or 'no unit'}, was {old or 'no unit'}",
    "unavailable": lambda new, _old: f"not available at {new or 'no value'}",
    "errors": lambda new, _old: f"reports a fault at {new or 'no value'}",
    "names": lambda new, _old: f"has {counted(len(new), 'named value') if new else 'no named values'}",
    "selected": lambda new, _old: "is always present" if new is None else "depends on a selector",
    "encoding": lambda new, _old: f"encoded as {new}",
    "symbols": lambda new, _old: f"code table of {counted(len(new), 'symbol')}" if new else "has no code table",
    "padding": lambda new, _old: f"filled up with {new!r}",
    "base": lambda new, old: f"written in base {new}, was {old}",
    "digits": lambda new, old: f"written with {new or 'as many'} digits, was {old or 'as many'}",
}


def _limit(limit: Fraction | None) -> str:
    return "open" if limit is None else in_groups(format_exact(limit))
