"""What changed between two layouts, in one short sentence for the history."""

from __future__ import annotations

from fractions import Fraction

from .model import Field, Layout
from .numbers import format_exact


def describe_change(before: Layout | None, after: Layout) -> str:
    """Return what an edit did, such as ``rate is signed, was unsigned``."""
    if before is None:
        return f"layout began with {_count(len(after.fields), 'field')}"
    parts = _head_changes(before, after)
    old = {field.id: field for field in before.fields}
    new = {field.id: field for field in after.fields}
    for field_id, field in new.items():
        if field_id not in old:
            parts.append(f"{field.name} added at {field.places}")
        elif old[field_id] != field:
            parts += _field_changes(old[field_id], field)
    parts += [f"{field.name} removed" for field_id, field in old.items() if field_id not in new]
    return "; ".join(parts) or "nothing changed"


def _head_changes(before: Layout, after: Layout) -> list[str]:
    parts = []
    if before.name != after.name:
        parts.append(f"renamed to {after.name}, was {before.name}")
    if before.size != after.size:
        parts.append(f"{_count(after.size, 'byte')}, was {before.size}")
    if before.applies != after.applies:
        parts.append(f"applies to {after.applies.address_text()}, was {before.applies.address_text()}")
    if before.sender != after.sender:
        parts.append(f"sent by {after.sender or 'nobody named'}")
    if before.note != after.note:
        parts.append("note rewritten")
    return parts


def _field_changes(before: Field, after: Field) -> list[str]:
    name = after.name
    parts = []
    if before.name != after.name:
        parts.append(f"{before.name} renamed to {after.name}")
    if before.kind is not after.kind:
        parts.append(f"{name} is {after.kind.words}, was {before.kind.words}")
    if before.places != after.places:
        parts.append(f"{name} at {after.places}, was {before.places}")
    if before.ratio != after.ratio:
        parts.append(f"{name} step {format_exact(after.ratio)}, was {format_exact(before.ratio)}")
    if before.offset != after.offset:
        parts.append(f"{name} offset {format_exact(after.offset)}, was {format_exact(before.offset)}")
    if before.unit != after.unit:
        parts.append(f"{name} in {after.unit or 'no unit'}, was {before.unit or 'no unit'}")
    if (before.low, before.high) != (after.low, after.high):
        parts.append(f"{name} limits {_limit(after.low)} to {_limit(after.high)}")
    if before.unavailable != after.unavailable:
        parts.append(f"{name} not available at {', '.join(map(str, after.unavailable)) or 'no value'}")
    if before.names != after.names:
        parts.append(f"{name} has {_count(len(after.names), 'named value')}")
    if before.selected != after.selected:
        parts.append(f"{name} {'is always present' if after.selected is None else 'depends on a selector'}")
    if before.encoding != after.encoding:
        parts.append(f"{name} encoded as {after.encoding}")
    if before.note != after.note:
        parts.append(f"note on {name} rewritten")
    return parts


def _limit(limit: Fraction | None) -> str:
    return "open" if limit is None else format_exact(limit)


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" if number == 1 else f"{number} {noun}s"
