"""Register maps as one exchange sees them: a window of the map, and edits of the window put back."""

from __future__ import annotations

import msgspec

from .model import Layout
from .places import Places


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
    computed = tuple(one for one in layout.computed if set(one.expression.names) <= names)
    window = msgspec.structs.replace(registers, window=first)
    return msgspec.structs.replace(
        layout, size=size, fields=tuple(fields), checks=(), computed=computed, registers=window
    )


def _unselected(field):  # type: ignore[no-untyped-def]
    return msgspec.structs.replace(field, selected=None)


def from_window(layout: Layout, view: Layout) -> Layout:
    """Return the map with the edits that were made on a window of it.

    Fields that the window does not show stay; one that it showed and no longer has is gone.
    """
    window = view.registers
    assert window is not None and window.window is not None
    first = window.window
    shift = first * window.space.register_bits
    shown = {field.id for field in window_of(layout, first, view.size).fields}
    changed = layout
    kept = {field.id for field in view.fields}
    for gone in shown - kept:
        changed = changed.without_field(gone)
    known = {field.id: field for field in layout.fields}
    for field in view.fields:
        places = Places(bit + shift for bit in field.places.bits)
        back = msgspec.structs.replace(field, places=places)
        if field.id in known and field.selected is None:
            back = msgspec.structs.replace(back, selected=known[field.id].selected)
        changed = changed.with_field(back)
    return msgspec.structs.replace(changed, name=view.name, note=view.note, sender=view.sender)
