"""Parts whose places can be told beforehand, as fields of fixed places: a language needs no other way to read them.

An array of so many items becomes a field an item. Where another field says how many there are, each item stands under
that field like under a selector: item 3 is there when it says 4 or more.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from uuid import UUID, uuid5

import msgspec

from ..expressions.expression import Expression
from ..expressions.tree import Name, Number
from ..layouts.fields import Field, Selected
from ..layouts.model import Group, Layout, Part, RawSet, Run
from ..layouts.parts.group import Repeat
from ..layouts.places import Places
from ..protocols.registry import protocol_named
from .errors import CannotCarryError

MOST_ITEMS = 256
"""Items of one array: each is a member of the struct."""


def unrolled(layout: Layout) -> Layout:
    """Return a layout without parts that says the same; its size is that of the longest payload.

    Raises
    ------
    CannotCarryError
        If a part has no place that can be told beforehand.
    """
    if not layout.parts:
        return layout
    walk = _Walk(layout)
    fields = (*layout.fields, *walk.parts(layout.parts, 0, layout.size, None))
    size = max([layout.size, *(field.places.size_needed for field in fields)])
    return msgspec.structs.replace(layout, fields=fields, parts=(), size=size)


class _Walk:
    """Goes through the parts of one layout.

    Attributes
    ----------
    behind
        The byte that the next part begins at, None if that is not known beforehand.
    """

    def __init__(self, layout: Layout) -> None:
        self._layout = layout
        self._most = protocol_named(layout.applies.protocol).largest_payload
        self.behind: int | None = None

    def parts(self, parts: tuple[Part, ...], base: int, begin: int, under: Selected | None) -> Iterator[Field]:
        """Yield the fields of some parts.

        Parameters
        ----------
        base
            The byte that starts are counted from.
        begin
            The byte that the first part begins at if it does not say.
        under
            The selector that all of them stand under.
        """
        self.behind = begin
        for part in parts:
            first = self._start(part, base)
            if part.selected is not None and under is not None:
                raise CannotCarryError(f"{part.name} stands under two selectors, which is not carried yet.")
            if isinstance(part, Group):
                yield from self._group(part, first, part.selected or under)
            elif isinstance(part, Run):
                yield self._run(part, first, part.selected or under)
            else:
                raise CannotCarryError(f"{part.name} is a {part.words()}, which is not carried yet.")
            if part.selected is not None:
                # whatever follows moves with it
                self.behind = None

    def _start(self, part: Part, base: int) -> int:
        first = self.behind if part.start is None else _constant(part.start)
        if first is None:
            raise CannotCarryError(f"{part.name} has no fixed place, which is not carried yet.")
        first += base if part.start is not None else 0
        return base + -(-(first - base) // part.align) * part.align

    def _run(self, run: Run, first: int, under: Selected | None) -> Field:
        if run.field.raw_is_number:
            raise CannotCarryError(f"{run.name} is a number in digits, which is not carried yet.")
        length = _constant(run.length) if run.length is not None else None
        if length is None or not 0 < length <= self._most:
            raise CannotCarryError(f"{run.name} has no fixed length, which is not carried yet.")
        self.behind = first + length
        bits = [8 * (first + place) + bit for place in range(length) for bit in range(7, -1, -1)]
        return msgspec.structs.replace(run.field, places=Places(bits), selected=run.field.selected or under)

    def _group(self, group: Group, first: int, under: Selected | None) -> Iterator[Field]:
        if group.limit is not None or group.checks or group.computed:
            raise CannotCarryError(f"{group.name} has a length, checks or values of its own, which is not carried yet.")
        if group.repeat is Repeat.ONCE:
            yield from self._moved(group.fields, first, under, None)
            yield from self.parts(group.parts, first, first + group.size, under)
            return
        yield from self._items(group, first, under)

    def _items(self, group: Group, first: int, under: Selected | None) -> Iterator[Field]:
        if group.parts:
            raise CannotCarryError(f"the items of {group.name} differ in size, which is not carried yet.")
        if group.repeat is not Repeat.COUNT or group.amount is None:
            raise CannotCarryError(f"{group.name} has no count, which is not carried yet.")
        count = _constant(group.amount)
        counting = self._counting(group.amount) if count is None else None
        if count is None and counting is None:
            raise CannotCarryError(f"{group.name} has {group.amount} items, which is more than a count.")
        if counting is not None and under is not None:
            # the count says it alone where a rule or the sender keeps both in step; that is not for us to assume
            raise CannotCarryError(f"{group.name} is optional and has a count, which is not carried yet.")
        highest = counting.raw_range()[1] if counting is not None else 0
        fitting = (self._most - first) // max(group.size, 1)
        number = count if count is not None else min(highest, fitting)
        if number > MOST_ITEMS:
            raise CannotCarryError(f"{group.name} has up to {number} items, more than {MOST_ITEMS}.")
        for item in range(number):
            selected = Selected(counting.id, RawSet([(item + 1, highest)])) if counting is not None else under
            yield from self._moved(group.fields, first + item * group.size, selected, item)
        self.behind = first + number * group.size if counting is None else None

    def _counting(self, amount: Expression) -> Field | None:
        """Return the field that a count names; it is read plainly and is always there."""
        if not isinstance(amount.tree, Name):
            return None
        found = next((field for field in self._layout.fields if field.name == amount.tree.name), None)
        is_plain = found is not None and found.raw_is_number and found.selected is None and not found.is_curved
        if found is None or not is_plain or (found.ratio, found.offset) != (1, 0) or found.unavailable or found.errors:
            return None
        return found if found.raw_range()[0] >= 0 else None

    def _moved(
        self, fields: tuple[Field, ...], first: int, under: Selected | None, item: int | None
    ) -> Iterator[Field]:
        """Yield fields of a group as fields of the payload."""
        ids = {field.id: _identity(field.id, item) for field in fields}
        for field in fields:
            selected = under
            if field.selected is not None:
                inside = ids.get(field.selected.field)
                if inside is None and under is not None:
                    raise CannotCarryError(f"{field.name} stands under two selectors, which is not carried yet.")
                # a selector that is absent selects nothing, so what stands over it need not be said again
                selected = msgspec.structs.replace(field.selected, field=inside or field.selected.field)
            yield msgspec.structs.replace(
                field, id=ids[field.id], name=field.name if item is None else f"{field.name}[{item}]",
                places=Places(bit + 8 * first for bit in field.places.bits), selected=selected,
            )  # fmt: skip
        self.behind = first


def _identity(field: UUID, item: int | None) -> UUID:
    return field if item is None else uuid5(field, str(item))


def _constant(expression: Expression) -> int | None:
    tree = expression.tree
    if isinstance(tree, Number) and tree.value.denominator == 1 and tree.value >= 0:
        return int(Fraction(tree.value))
    return None
