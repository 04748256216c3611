"""Commands: one table from which shortcuts, the palette and the key help are made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


def always() -> bool:
    """Say yes: a command that is never greyed out."""
    return True


@dataclass(frozen=True, slots=True)
class Command:
    """Something the user can do.

    Attributes
    ----------
    id
        Stable name.
    title
        In words, as the palette shows it.
    shortcut
        Keys in Qt's notation, or empty.
    run
        Does it.
    enabled
        Whether it makes sense now.
    desk
        Only on this desk; empty for everywhere.
    """

    id: str
    title: str
    shortcut: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = always
    desk: str = ""
