"""What changed between two layouts, in one short sentence for the history."""

from __future__ import annotations

import enum
from collections.abc import Callable
from fractions import Fraction

import msgspec

from .applies import Applies
from .checks.check import Check
from .model import Computed, Field, Layout
from .numbers import format_exact
from .parts.part import Part
from .registers import RegisterMap


def describe_change(before: Layout | None, after: Layout) -> str:
    """Return what an edit did, such as ``rate is signed, was unsigned``."""
    if before is None:
        return f"layout began with {_count(len(after.fields), 'field')}"
    parts = head_changes(before, after)
    old = {field.id: field for field in before.fields}
    new = {field.id: field for field in after.fields}
    for field_id, field in new.items():
        if field_id not in old:
            parts.append(f"{field.name} added at {field.places}")
        elif old[field_id] != field:
            parts += _field_changes(old[field_id], field)
    parts += [f"{field.name} removed" for field_id, field in old.items() if field_id not in new]
    parts += _item_changes(before, after)
    return "; ".join(parts) or "nothing changed"


def head_changes(before: Layout, after: Layout) -> list[str]:
    """Say what differs apart from fields, parts, checks and computed values."""
    parts = []
    if before.name != after.name:
        parts.append(f"renamed to {after.name}, was {before.name}")
    if before.size != after.size:
        parts.append(f"{_count(after.size, 'byte')}, was {before.size}")
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
    parts = []
    for shelf in ("parts", "checks", "computed"):
        old = {item.id: item for item in getattr(before, shelf)}
        new = {item.id: item for item in getattr(after, shelf)}
        for item_id, item in new.items():
            if item_id not in old:
                parts.append(f"{item.name} added ({item.words()})")
            elif old[item_id] != item:
                parts += _attribute_changes(old[item_id], item)
        parts += [f"{item.name} removed" for item_id, item in old.items() if item_id not in new]
        if list(old) != list(new) and set(old) == set(new):
            parts.append(f"order of {shelf} changed")
    return parts


def _attribute_changes(before, after) -> list[str]:  # type: ignore[no-untyped-def]
    """Say which attributes of a part, check or computed value are others; fields in it by their own changes."""
    if type(before) is not type(after):
        return [f"{after.name} is now {after.words()}, was {before.words()}"]
    said = []
    for name in after.__struct_fields__:
        old, new = getattr(before, name), getattr(after, name)
        if old == new:
            continue
        if name == "name":
            said.append(f"{old} renamed to {new}")
        elif name in ("fields", "columns"):
            said += _nested_changes(old, new, _field_changes, lambda f: f"{f.name} added")
        elif name in ("parts", "cases"):
            said += _nested_changes(old, new, _attribute_changes, lambda item: f"{item.name} added")
        elif isinstance(new, Field):
            said += _field_changes(old, new)
        elif name == "note":
            said.append(f"note on {after.name} rewritten")
        else:
            said.append(f"{after.name} {name.replace('_', ' ')} {_plain(new)}, was {_plain(old)}")
    return said


def attribute_changes(before: Field | Part | Check | Computed, after: Field | Part | Check | Computed) -> list[str]:
    """Say what differs between two versions of one thing; empty if nothing but its identity does."""
    if isinstance(before, Field) and isinstance(after, Field):
        return _field_changes(before, after)
    return [said for said in _attribute_changes(before, after) if not said.startswith(f"{after.name} id ")]


def _nested_changes(before, after, changed, added) -> list[str]:  # type: ignore[no-untyped-def]
    old = {item.id: item for item in before}
    said = []
    for item in after:
        if item.id not in old:
            said.append(added(item))
        elif old[item.id] != item:
            said += changed(old[item.id], item)
    kept = {item.id for item in after}
    return said + [f"{item.name} removed" for item in before if item.id not in kept]


def _plain(value: object) -> str:
    if value is None or value == "":
        return "none"
    if isinstance(value, Fraction):
        return format_exact(value)
    if isinstance(value, enum.Enum):
        return str(value.value)
    return "another one" if hasattr(value, "__struct_fields__") or isinstance(value, tuple) else str(value)


def _field_changes(before: Field, after: Field) -> list[str]:
    name = after.name
    parts = [f"{before.name} renamed to {name}"] if before.name != name else []
    for attribute, say in _FIELD_SENTENCES.items():
        old, new = getattr(before, attribute), getattr(after, attribute)
        if old != new:
            parts.append(f"{name} {say(new, old)}")
    if (before.low, before.high) != (after.low, after.high):
        parts.append(f"{name} limits {_limit(after.low)} to {_limit(after.high)}")
    if before.note != after.note:
        parts.append(f"note on {name} rewritten")
    return parts


_FIELD_SENTENCES: dict[str, Callable] = {
    "kind": lambda new, old: f"is {new.words}, was {old.words}",
    "places": lambda new, old: f"at {new}, was {old}",
    "inverted": lambda new, old: "is inverted" if new else "is not inverted",
    "ratio": lambda new, old: f"step {format_exact(new)}, was {format_exact(old)}",
    "offset": lambda new, old: f"offset {format_exact(new)}, was {format_exact(old)}",
    "polynomial": lambda new, old: f"polynomial of {_count(len(new), 'coefficient')}" if new else "has no polynomial",
    "table": lambda new, old: f"table of {_count(len(new), 'corner')}" if new else "has no table",
    "unit": lambda new, old: f"in {new or 'no unit'}, was {old or 'no unit'}",
    "unavailable": lambda new, old: f"not available at {new or 'no value'}",
    "errors": lambda new, old: f"reports a fault at {new or 'no value'}",
    "names": lambda new, old: f"has {_count(len(new), 'named value')}",
    "selected": lambda new, old: "is always present" if new is None else "depends on a selector",
    "encoding": lambda new, old: f"encoded as {new}",
    "symbols": lambda new, old: f"code table of {_count(len(new), 'symbol')}" if new else "has no code table",
    "padding": lambda new, old: f"filled up with {new!r}",
    "base": lambda new, old: f"written in base {new}, was {old}",
    "digits": lambda new, old: f"written with {new or 'as many'} digits, was {old or 'as many'}",
}


def _limit(limit: Fraction | None) -> str:
    return "open" if limit is None else format_exact(limit)


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" if number == 1 else f"{number} {noun}s"


def without_content(layout: Layout) -> Layout:
    """Return a layout of the same name that says nothing: what a new one is compared with, and a removed one."""
    return msgspec.structs.replace(layout, fields=(), parts=(), checks=(), computed=(), note="", sender="")
