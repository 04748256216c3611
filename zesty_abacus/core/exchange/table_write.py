"""Layouts as a table: the fixed fields, one row each."""

from __future__ import annotations

from collections.abc import Iterable

from ..layouts.model import Field, FieldKind, Layout
from ..layouts.numbers import format_exact
from .result import Exchanged

COLUMNS = (
    "message", "address", "protocol", "size", "lane", "sender", "field", "places", "kind", "step", "offset", "unit",
    "low limit", "high limit", "values", "not available", "present when", "note", "id",
)  # fmt: skip
"""What our own tables have, in this order; ``id`` is headed *layout and field*."""


def rows_of_layouts(layouts: Iterable[Layout], found: Exchanged) -> list[list[str]]:
    """Return headings and rows of a table with the fixed fields of layouts; what it cannot hold is left."""
    headings = ["layout and field" if column == "id" else column for column in COLUMNS]
    rows = [headings]
    for layout in layouts:
        for what in (*layout.parts, *layout.checks, *layout.computed):
            found.leave(f"{layout.name}, {what.name}", "a table of fields has no room for parts, checks and formulas.")
        applies = layout.applies
        if layout.registers is not None:
            found.leave(layout.name, "a table of fields does not say that it is a register map.")
        if applies.mask is not None or applies.to is not None or applies.way or applies.looks_at_payload:
            found.leave(layout.name, "a table says an address, and nothing else about when the layout applies.")
        rows += [_row(layout, field, found) for field in layout.fields]
    return rows


def _row(layout: Layout, field: Field, found: Exchanged) -> list[str]:
    applies = layout.applies
    for attribute, words in (("polynomial", "polynomial has"), ("table", "table has"), ("inverted", "turned bits have"),
                             ("errors", "fault values have"), ("symbols", "symbols have")):  # fmt: skip
        if getattr(field, attribute):
            found.leave(f"{layout.name}, {field.name}", f"its {words} no column.")
    if field.kind is FieldKind.TEXT and field.encoding != "ascii":
        found.leave(f"{layout.name}, {field.name}", f"its encoding {field.encoding} has no column.")
    cells = {
        "message": layout.name,
        "address": applies.hex_text(),
        "protocol": applies.protocol, "size": str(layout.size), "lane": ", ".join(applies.lanes),
        "sender": layout.sender, "field": field.name, "places": str(field.places), "kind": field.kind.value,
        "step": format_exact(field.ratio), "offset": format_exact(field.offset), "unit": field.unit,
        "low limit": "" if field.low is None else format_exact(field.low),
        "high limit": "" if field.high is None else format_exact(field.high),
        "values": "; ".join(f"{n.raw}{'' if n.to is None else f'..{n.to}'} {n.label}" for n in field.names),
        "not available": str(field.unavailable), "present when": _when(layout, field),
        "note": " ".join(field.note.split()), "id": f"{layout.id} {field.id}",
    }  # fmt: skip
    return [cells[column] for column in COLUMNS]


def _when(layout: Layout, field: Field) -> str:
    if field.selected is None:
        return ""
    return f"{layout.any_field(field.selected.field).name} = {field.selected.values}"
