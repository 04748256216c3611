"""Follows what others keep in a library: what is new since the last look, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass, field
from uuid import UUID

from .layout_shelf import LayoutHead
from .store import Library, Marks

_MARGIN = 500
"""Changes are looked at again for so many numbers: one that was begun earlier may be there later than its follower."""


@dataclass(frozen=True, slots=True)
class Seen:
    """What a look found.

    Attributes
    ----------
    marks
        The newest changes of every sort.
    heads
        Newest states of layouts that changed.
    removed
        Layouts that are gone, and the revision that removed each.
    """

    marks: Marks
    heads: list[LayoutHead] = field(default_factory=list)
    removed: dict[UUID, int] = field(default_factory=dict)


class Follower:
    """Knows which changes of layouts were seen; used by one thread.

    Parameters
    ----------
    known
        Number of a change up to which everything is known; a little before it is seen once more.
    """

    def __init__(self, library: Library, known: int) -> None:
        self._library = library
        self._newest = known
        self._seen: set[int] = set()

    def look(self) -> Seen:
        """Return what is new; raises :class:`LibraryError` if the library does not answer."""
        marks = self._library.marks()
        since = max(min(self._newest, marks.layouts) - _MARGIN, 0)
        fresh = {number: key for number, key in self._library.layouts.changes_since(since) if number not in self._seen}
        if not fresh:
            return Seen(marks)
        heads = self._library.layouts.heads_of(set(fresh.values()))
        there = {head.state.id for head in heads}
        removed = {key: number for number, key in sorted(fresh.items()) if key not in there}
        self._newest = max(self._newest, *fresh)
        self._seen = {number for number in self._seen | set(fresh) if number > self._newest - 2 * _MARGIN}
        return Seen(marks, heads, removed)
