"""Register maps as one exchange sees them: a window of the map, and edits of the window put back."""

from __future__ import annotations

import msgspec

from .model import Layout
from .places import Places
from .template import free_among


def window_of(layout: Layout, first: int, size: int) -> Layout:
    """Return the part of a register map that an exchange carries; identities stay.

    Parameters
    ----------
    first
        The register the exchange begins with.
    size
        Bytes it carries.
    """
    registers = layout.registers
    assert registers is not None
    fields = []
    for field in layout.fields:
        places = registers.seen_through(field.places, first, size * 8)
        if places is not None:
            fields.append(msgspec.structs.replace(field, places=places))
    seen = {field.id for field in fields}
    fields = [f if f.selected is None or f.selected.field in seen else _unselected(f) for f in fields]
    names = {field.name for field in fields}
    computed = tuple(one for one in layout.computed if set(one.names_used) <= names)
    window = msgspec.structs.replace(registers, window=first)
    return msgspec.structs.replace(
        layout, size=size, fields=tuple(fields), checks=(), computed=computed, registers=window
    )


def _unselected(field):  # type: ignore[no-untyped-def]
    return msgspec.structs.replace(field, selected=None)


def begun_in(view: Layout) -> Layout:
    """Return the map of a window that is no part of a map yet: one with nothing in it."""
    assert view.registers is not None
    return msgspec.structs.replace(
        view, fields=(), computed=(), registers=msgspec.structs.replace(view.registers, window=None)
    )


def from_window(layout: Layout, view: Layout) -> Layout:
    """Return the map with the edits that were made on a window of it.

    Fields and computed values that the window does not show stay; one that it showed and no longer has is gone. What is
    new is called otherwise where a register beside the window has its name.
    """
    window = view.registers
    assert window is not None and window.window is not None
    first = window.window
    shift = first * window.space.register_bits
    before = window_of(layout, first, view.size)
    view = _named_apart(layout, before, view)
    shown = {field.id for field in before.fields}
    changed = layout
    kept = {field.id for field in view.fields}
    for gone in shown - kept:
        changed = changed.without_field(gone)
    for one in {one.id for one in before.computed} - {one.id for one in view.computed}:
        if any(value.id == one for value in changed.computed):
            changed = changed.without_item(one)
    known = {field.id: field for field in layout.fields}
    for field in view.fields:
        places = Places(bit + shift for bit in field.places.bits)
        back = msgspec.structs.replace(field, places=places)
        if field.id in known and field.selected is None:
            back = msgspec.structs.replace(back, selected=known[field.id].selected)
        changed = changed.with_field(back)
    for value in view.computed:
        changed = changed.with_item(value)
    return msgspec.structs.replace(changed, name=view.name, note=view.note, sender=view.sender)


def _named_apart(layout: Layout, before: Layout, view: Layout) -> Layout:
    """Return a window in which nothing new is called like something of the map that it does not show."""
    shown = {item.id for item in before.named_items()}
    hidden = {item.name for item in layout.named_items() if item.id not in shown}
    for item in tuple(view.named_items()):
        if item.id not in shown and item.name in hidden:
            taken = hidden | {other.name for other in view.named_items()}
            view = view.with_item(msgspec.structs.replace(item, name=free_among(taken, item.name)))
    return view
