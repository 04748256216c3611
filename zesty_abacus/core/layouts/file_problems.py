"""Everything that is wrong with a layout file at once, each with the message and the thing in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any
from uuid import UUID

from .model import Layout

_MOST_TOLD = 40
Read = Callable[[dict[str, Any], type], str]
"""Tries to read something as what it should be; returns what is wrong, empty if nothing is."""


def problems_of_document(document: dict[str, Any], kinds: dict[str, type], try_reading: Read) -> list[str]:
    """Return what is wrong with the JSON of one layout that cannot be read, a sentence each.

    A reader stops at the first thing; here each thing in the layout is tried by itself.

    Parameters
    ----------
    kinds
        What the members of its lists should be, by the name of the list.
    """
    name = str(document.get("name") or "a message without a name")
    found = []
    bare = dict(document)
    for key, kind in kinds.items():
        items = bare.pop(key, None)
        if items is None:
            continue
        if not isinstance(items, list):
            found.append(f"{name}: {key} is a list")
            continue
        for number, item in enumerate(items):
            said = try_reading(item, kind)
            if said:
                found.append(f"{name}, {_called(item, key, number)}: {said}")
    said = try_reading(bare, Layout)
    return [*([f"{name}: {said}"] if said else []), *found]


def _called(item: Any, key: str, number: int) -> str:
    named = item.get("name") if isinstance(item, dict) else None
    return str(named) if named else f"{key}[{number}]"


def doubled_identities(layouts: Sequence[Layout]) -> list[str]:
    """Return which layouts of a file have the identity of another one, a sentence each."""
    first: dict[UUID, str] = {}
    found = []
    for layout in layouts:
        if layout.id in first:
            found.append(f"{layout.name} has the identity of {first[layout.id]}, {layout.id}")
        first.setdefault(layout.id, layout.name)
    return found


def doubled_names(layouts: Sequence[Layout]) -> list[str]:
    """Return the names that several layouts have."""
    return [name for name, count in Counter(layout.name for layout in layouts).items() if count > 1]


def told(problems: Sequence[str]) -> str:
    """Return problems as one message."""
    if len(problems) == 1:
        return f"{problems[0]}."
    more = f"\n  and {len(problems) - _MOST_TOLD} more" if len(problems) > _MOST_TOLD else ""
    return f"{len(problems)} things are wrong:\n  " + "\n  ".join(problems[:_MOST_TOLD]) + more
