"""Merging two changes of one layout, by identity and attribute.

What only one side changed is taken from that side; what both changed alike is taken once. Only where both
changed the same attribute of the same thing differently is there a clash, and then nothing is lost: the merge
keeps our value and the clash holds all three. Renames are no deletes, since things are known by their id.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import msgspec

from .checks.coverage import Coverage
from .model import Applies, Layout, NamedValue, RegisterMap

_MERGED_INSIDE = (Applies, RegisterMap, Coverage)
"""Values without an identity that are merged attribute by attribute; all others are taken whole."""


@dataclass(frozen=True, slots=True)
class Clash:
    """One thing that both sides changed differently.

    Attributes
    ----------
    item
        Id of the layout, field, part, case, check or computed value it is about.
    name
        Of that thing.
    attribute
        Which of its attributes, with dots for what lies in another value; empty where one side removed it.
    base, ours, theirs
        Its three values; None for *removed* where ``attribute`` is empty.
    """

    item: UUID
    name: str
    attribute: str
    base: Any
    ours: Any
    theirs: Any


@dataclass(frozen=True, slots=True)
class Merged:
    """A merge: the layout, with ours where there is a clash."""

    layout: Layout
    clashes: tuple[Clash, ...]


def merge_layouts(base: Layout, ours: Layout, theirs: Layout) -> Merged:
    """Merge two layouts that both came from ``base``.

    The result of disjoint changes does not depend on which side is ours.
    """
    merger = _Merger()
    layout = merger.structs(base, ours, theirs, "")
    return Merged(layout, tuple(merger.clashes))


def with_choice(layout: Layout, clash: Clash, value: Any) -> Layout:
    """Return the merged layout with another value for what clashed.

    Parameters
    ----------
    value
        ``clash.theirs``, ``clash.base`` or anything else the attribute can be.
    """
    if not clash.attribute:
        if value is None:
            return layout.without_item(clash.item)
        return layout.with_item(value)
    if clash.item == layout.id:
        return _with_attribute(layout, clash.attribute, value)
    return layout.with_item(_with_attribute(layout.item(clash.item), clash.attribute, value))


def _with_attribute(item: Any, path: str, value: Any) -> Any:
    name, _, inner = path.partition(".")
    if inner:
        value = _with_attribute(getattr(item, name), inner, value)
    return msgspec.structs.replace(item, **{name: value})


class _Merger:
    """Walks the three versions; ``owner`` is the thing with an identity that an attribute belongs to."""

    def __init__(self) -> None:
        self.clashes: list[Clash] = []
        self._owner: Any = None

    def structs(self, base: Any, ours: Any, theirs: Any, path: str) -> Any:
        """Merge attribute by attribute."""
        outer = self._owner
        if not path:
            self._owner = ours
        merged = {
            name: self.values(getattr(base, name), getattr(ours, name), getattr(theirs, name), f"{path}{name}")
            # whatever a class has, so that what is added to the model is merged without a line here
            for name in ours.__struct_fields__
            if name != "id"
        }
        self._owner = outer
        return msgspec.structs.replace(ours, **merged)

    def values(self, base: Any, ours: Any, theirs: Any, path: str) -> Any:
        """Merge one attribute."""
        # whole values first: most attributes are the same on all sides, and comparing them is cheap
        if ours == theirs or theirs == base:
            return ours
        if ours == base:
            return theirs
        three = (base, ours, theirs)
        if all(isinstance(one, _MERGED_INSIDE) for one in three):
            return self.structs(base, ours, theirs, f"{path}.")
        if all(isinstance(one, tuple) for one in three):
            if _all_known(three):
                return self.lists(base, ours, theirs)
            if all(isinstance(item, NamedValue) for one in three for item in one):
                return self.names(base, ours, theirs, path)
        if _same_thing(three):
            return self.structs(base, ours, theirs, "")
        self._clash(path, base, ours, theirs)
        return ours

    def lists(self, base: Sequence[Any], ours: Sequence[Any], theirs: Sequence[Any]) -> tuple[Any, ...]:
        """Merge things that have an identity."""
        old, mine, other = ({item.id: item for item in side} for side in (base, ours, theirs))
        kept: dict[UUID, Any] = {}
        for key in _merged_order(list(old), list(mine), list(other)):
            if key not in old:
                kept[key] = self._both_new(mine.get(key), other.get(key))
                continue
            item = self._kept(old[key], mine.get(key), other.get(key))
            if item is not None:
                kept[key] = item
        return tuple(kept.values())

    def _both_new(self, mine: Any, other: Any) -> Any:
        if mine is None or other is None or mine == other:
            return other if mine is None else mine
        self.clashes.append(Clash(mine.id, mine.name, "", None, mine, other))
        return mine

    def _kept(self, old: Any, mine: Any, other: Any) -> Any:
        if mine is not None and other is not None:
            if type(mine) is type(other) is type(old):
                return self.structs(old, mine, other, "")
            if mine == old or other == old or mine == other:
                return other if mine == old else mine
            self.clashes.append(Clash(old.id, old.name, "", old, mine, other))
            return mine
        left = mine if mine is not None else other
        if left is None or left == old:
            return None
        # removed by one side, changed by the other: the change is kept, and the question asked
        self.clashes.append(Clash(old.id, left.name, "", old, mine, other))
        return left

    def names(
        self, base: Sequence[NamedValue], ours: Sequence[NamedValue], theirs: Sequence[NamedValue], path: str
    ) -> tuple[NamedValue, ...]:
        """Merge names of values by the raw value; a clash is about all of them."""
        old, mine, other = ({named.raw: named for named in side} for side in (base, ours, theirs))
        kept = []
        # by the raw value, which is what a name belongs to; the order in a list means nothing
        for raw in sorted({*old, *mine, *other}):
            was, a, b = old.get(raw), mine.get(raw), other.get(raw)
            if a != b and a != was and b != was:
                self._clash(path, base, ours, theirs)
                return tuple(ours)
            named = b if a == was else a
            if named is not None:
                kept.append(named)
        return tuple(kept)

    def _clash(self, path: str, base: Any, ours: Any, theirs: Any) -> None:
        self.clashes.append(Clash(self._owner.id, self._owner.name, path, base, ours, theirs))


def _all_known(sides: Sequence[tuple[Any, ...]]) -> bool:
    """Whether all items of all sides have an identity."""
    return all(hasattr(item, "id") for side in sides for item in side) and any(sides)


def _same_thing(sides: Sequence[Any]) -> bool:
    """Whether all sides are one thing of one type with an identity."""
    first = sides[0]
    return hasattr(first, "id") and all(type(one) is type(first) and one.id == first.id for one in sides)


def _merged_order(base: list[UUID], ours: list[UUID], theirs: list[UUID]) -> list[UUID]:
    """Return all ids in an order that does not depend on which side is ours.

    What both have stands as the side that moved it has it; new things stand behind what they stood behind.
    """
    known = set(base)
    mine = [key for key in ours if key in known]
    other = [key for key in theirs if key in known]
    moved_by_us = mine != [key for key in base if key in set(mine)]
    moved_by_them = other != [key for key in base if key in set(other)]
    if moved_by_us and moved_by_them and mine != other:
        # both moved things: either order would do, and this one is the same on both sides
        order = min(mine, other)
    else:
        order = mine if moved_by_us else other if moved_by_them else base
    order = [*order, *(key for key in base if key not in set(order))]
    behind: dict[UUID | None, set[tuple[UUID, ...]]] = {}
    for side in (ours, theirs):
        for anchor, run in _new_runs(side, known):
            behind.setdefault(anchor, set()).add(run)
    merged: dict[UUID, None] = {}
    for key in (None, *order):
        if key is not None:
            merged[key] = None
        for run in sorted(behind.get(key, ())):
            merged.update(dict.fromkeys(one for one in run if one not in merged))
    return list(merged)


def _new_runs(side: list[UUID], known: set[UUID]) -> list[tuple[UUID | None, tuple[UUID, ...]]]:
    """Return what is new, each run with what it stands behind."""
    runs: list[tuple[UUID | None, tuple[UUID, ...]]] = []
    anchor: UUID | None = None
    for key in side:
        if key in known:
            anchor = key
        elif runs and runs[-1][0] == anchor:
            runs[-1] = anchor, (*runs[-1][1], key)
        else:
            runs.append((anchor, (key,)))
    return runs
