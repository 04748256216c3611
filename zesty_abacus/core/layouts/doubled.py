"""Names and identities that stand twice in a layout file."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from uuid import UUID

from .model import Layout


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
