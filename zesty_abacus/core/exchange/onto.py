"""Bringing a file in over what the library has, without losing what the file's format cannot say.

A table holds no checks. A layout that comes back from one has none, and that means nothing. So the file is
compared with what the same format would have said of the library's layout; only the differences are carried
over. What the library has and the format cannot say, stays.
"""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from ..errors import AbacusError
from ..layouts.json_form import FORMAT
from ..layouts.merge import merge_layouts, with_choice
from ..layouts.model import Layout
from ..layouts.validate import check_layout
from .layout_tables import layouts_of_table
from .registry import TABLE, WRITERS, layout_formats
from .result import Exchanged
from .sheets import Sheet
from .table_mapping import TableMapping, guess_mapping
from .table_write import rows_of_layouts

_ALWAYS = ("field", "places", "id", "message", "address", "protocol")


def onto_library(
    brought: Iterable[Layout], library: Iterable[Layout], form: str, mapping: TableMapping | None = None
) -> list[Layout]:
    """Return layouts as they are to be kept.

    Parameters
    ----------
    form
        Name of the format they were read from.
    mapping
        Of a table, how it was read: what it has no column for stays as well.
    """
    known = {layout.id: layout for layout in library}
    return [_onto(layout, known.get(layout.id), form, mapping) for layout in brought]


def _onto(brought: Layout, known: Layout | None, form: str, mapping: TableMapping | None) -> Layout:
    if known is None or form == FORMAT or brought == known:
        return brought
    said = as_said_by(known, form, mapping)
    if said is None:
        return brought
    merged = merge_layouts(said, known, brought)
    layout = merged.layout
    for clash in merged.clashes:
        layout = with_choice(layout, clash, clash.theirs)
    return layout if not check_layout(layout) else brought


def as_said_by(layout: Layout, form: str, mapping: TableMapping | None = None) -> Layout | None:
    """Return what remains of a layout once it went through a format; None if nothing does."""
    try:
        if form == TABLE:
            again = _through_table(layout, mapping)
        else:
            reader = next(one for one in layout_formats() if form == one.name)
            writer = next(write for name, _, write in WRITERS.values() if name == form)
            again = reader.read(writer([layout]).data, "")
    except AbacusError:
        return None
    return next((one for one in again.layouts if one.id == layout.id), None)


def _through_table(layout: Layout, mapping: TableMapping | None) -> Exchanged:
    sheet = Sheet("", rows_of_layouts([layout], Exchanged()))
    own = guess_mapping(sheet)
    if mapping is not None:
        kept = {*mapping.roles, *_ALWAYS}
        own = msgspec.structs.replace(own, roles=tuple(role if role in kept else "ignore" for role in own.roles))
    return layouts_of_table(sheet, own, "")
