"""Two layouts side by side, thing by thing: what is the same, changed, only in one."""

from __future__ import annotations

import enum
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from .changes import describe_change
from .item_changes import ItemChanges
from .model import Layout


class Standing(enum.Enum):
    """How a thing of two layouts compares."""

    SAME = "same"
    CHANGED = "changed"
    ONLY_BEFORE = "removed"
    ONLY_AFTER = "added"


@dataclass(frozen=True, slots=True)
class Compared:
    """One field, part, check or computed value of two layouts.

    Attributes
    ----------
    before, after
        None where the layout has none.
    words
        What differs, a short sentence each.
    """

    item: UUID
    before: Any
    after: Any
    standing: Standing
    words: tuple[str, ...]

    @property
    def name(self) -> str:
        """The name it has now, or had."""
        return (self.after if self.after is not None else self.before).name


def compare_layouts(before: Layout, after: Layout) -> list[Compared]:
    """Return all things of two layouts in the order of the second, what was removed where it stood.

    Things are the same by their id; of layouts with nothing in common, by their name.
    """
    old, new, changes = _things(before), _things(after), ItemChanges(before, after)
    if not {thing.id for thing in old} & {thing.id for thing in new}:
        by_name = {thing.name: thing for thing in old}
        pairs = [(by_name.pop(thing.name, None), thing) for thing in new]
    else:
        by_id = {thing.id: thing for thing in old}
        pairs = [(by_id.pop(thing.id, None), thing) for thing in new]
        by_name = {thing.name: thing for thing in by_id.values()}
    made = [_compared(was, now, changes) for was, now in pairs]
    for gone in by_name.values():
        place = old.index(gone)
        made.insert(min(place, len(made)), _only(gone, None))
    return made


def compare_sets(before: Iterable[Layout], after: Iterable[Layout]) -> list[Compared]:
    """Return the layouts of two sets that differ, by name; what is in both and the same is left out."""
    old, new = ({layout.id: layout for layout in side} for side in (before, after))
    made = []
    for key in old.keys() | new.keys():
        was, now = old.get(key), new.get(key)
        if was is None or now is None:
            made.append(_only(was, now))
        elif was != now:
            words = tuple(describe_change(was, now).split("; "))
            made.append(Compared(key, was, now, Standing.CHANGED, words))
    return sorted(made, key=lambda one: (one.name.casefold(), str(one.item)))


def _only(before: Any, after: Any) -> Compared:
    if before is None:
        return Compared(after.id, None, after, Standing.ONLY_AFTER, ())
    return Compared(before.id, before, None, Standing.ONLY_BEFORE, ())


def _things(layout: Layout) -> list[Any]:
    return [*layout.fields, *layout.parts, *layout.checks, *layout.computed]


def _compared(before: Any, after: Any, changes: ItemChanges) -> Compared:
    if before is None:
        return _only(before, after)
    words = tuple(changes.of(before, after))
    standing = Standing.CHANGED if words else Standing.SAME
    return Compared(after.id, before, after, standing, words)
