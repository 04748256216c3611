"""What changed between two layouts, in one short sentence for the history."""

from __future__ import annotations

import msgspec

from ..words import counted
from .applies import Applies
from .item_changes import ItemChanges, field_changes
from .model import Layout
from .registers import RegisterMap


def describe_change(before: Layout | None, after: Layout) -> str:
    """Return what an edit did, such as ``rate is signed, was unsigned``."""
    if before is None:
        fields = sum(1 for _ in after.all_fields())
        return f"layout began with {counted(fields, 'field')}" if fields else "layout began without a field"
    parts = head_changes(before, after)
    old = {field.id: field for field in before.fields}
    new = {field.id: field for field in after.fields}
    for field_id, field in new.items():
        if field_id not in old:
            parts.append(f"{field.name} added at {field.places}")
        elif old[field_id] != field:
            parts += field_changes(old[field_id], field)
    parts += [f"{field.name} removed" for field_id, field in old.items() if field_id not in new]
    parts += _item_changes(before, after)
    return "; ".join(parts) or "nothing changed"


def head_changes(before: Layout, after: Layout) -> list[str]:
    """Say what differs apart from fields, parts, checks and computed values."""
    parts = []
    if before.name != after.name:
        parts.append(f"renamed to {after.name}, was {before.name}")
    if before.size != after.size:
        parts.append(f"{counted(after.size, 'byte')}, was {before.size}")
    if before.applies != after.applies:
        parts.append(_applies_change(before.applies, after.applies))
    if before.registers != after.registers:
        parts.append(_map_change(before.registers, after.registers))
    if before.sender != after.sender:
        parts.append(f"sent by {after.sender or 'nobody named'}")
    if before.note != after.note:
        parts.append("note rewritten")
    return parts


def _map_change(before: RegisterMap | None, after: RegisterMap | None) -> str:
    if after is None:
        return "is no register map any more"
    was = f", was {before.words()}" if before is not None else ""
    return f"is a map of {after.words()}{was}"


def _applies_change(before: Applies, after: Applies) -> str:
    if before.address_text() != after.address_text():
        return f"applies to {after.address_text()}, was {before.address_text()}"
    return f"applies to {after.words()}, was {before.words()}"


def _item_changes(before: Layout, after: Layout) -> list[str]:
    """Return what changed among parts, checks and computed values."""
    parts, changes = [], ItemChanges(before, after)
    for shelf in ("parts", "checks", "computed"):
        old = {item.id: item for item in getattr(before, shelf)}
        new = {item.id: item for item in getattr(after, shelf)}
        for item_id, item in new.items():
            if item_id not in old:
                parts.append(f"{item.name} added ({item.words()})")
            elif old[item_id] != item:
                parts += changes.of(old[item_id], item)
        parts += [f"{item.name} removed" for item_id, item in old.items() if item_id not in new]
        if list(old) != list(new) and set(old) == set(new):
            parts.append(f"order of {shelf} changed")
    return parts


def without_content(layout: Layout) -> Layout:
    """Return a layout of the same name that says nothing: what a new one is compared with, and a removed one."""
    return msgspec.structs.replace(layout, fields=(), parts=(), checks=(), computed=(), note="", sender="")
