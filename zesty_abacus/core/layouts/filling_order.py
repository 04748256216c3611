"""In which order the checks of a frame are filled in: what one is taken of stands before it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from uuid import UUID

from .checks.check import Check
from .fields import Field


def in_filling_order(checks: Sequence[Check], fields: Iterable[Field]) -> tuple[Check, ...]:
    """Return checks so that each comes behind those that fill in what it is taken of.

    Where they go in a circle, and where it makes no difference, those over bytes come last and the others stay as they
    are listed.
    """
    known = {field.name: field for field in fields}
    left = sorted(checks, key=lambda check: check.fills_last)
    ordered: list[Check] = []
    while left:
        free = (check for check in left if not any(_waits_for(check, other, known) for other in left))
        ordered.append(next(free, left[0]))
        left.remove(ordered[-1])
    return tuple(ordered)


def _waits_for(check: Check, other: Check, known: Mapping[str, Field]) -> bool:
    if other is check:
        return False
    own = check.gives(known)
    asked = {*check.asks(known), *_selectors((*own, *check.asks(known)), known)}.difference(own)
    return not asked.isdisjoint(other.gives(known))


def _selectors(fields: Iterable[UUID], known: Mapping[str, Field]) -> Iterator[UUID]:
    """Yield what lets fields be there, and that in turn."""
    by_id = {field.id: field for field in known.values()}
    for field_id in fields:
        seen: set[UUID] = set()
        field = by_id.get(field_id)
        while field is not None and field.selected is not None and field.selected.field not in seen:
            seen.add(field.selected.field)
            field = by_id.get(field.selected.field)
        yield from seen
