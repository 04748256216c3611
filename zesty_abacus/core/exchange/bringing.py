"""Somebody's layout file read for a look: what it gives and what keeping it would change."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..layouts.changes import describe_change
from ..layouts.model import Layout
from ..layouts.validate import check_layout
from ..progress import Progress
from ..words import counted
from .layout_tables import layouts_of_table
from .mapping_shelf import MappingShelf
from .onto import onto_library
from .registry import TABLE, is_table, open_table, read_layout_file
from .result import Left, read_bytes
from .sheets import Sheet
from .table_mapping import TableMapping, trouble_of


@dataclass(frozen=True, slots=True)
class Brought:
    """What reading somebody's file gives, before any of it is kept.

    Attributes
    ----------
    form
        Name of the format.
    layouts
        As they would be kept: what the format cannot say is as the library has it.
    standings
        What keeping each would change, in words; empty for one that the library has as it is.
    left
        What was not carried over.
    trouble
        Of a table, how many rows overlap or lie nowhere.
    """

    path: Path
    form: str
    layouts: tuple[Layout, ...]
    standings: tuple[str, ...]
    left: tuple[Left, ...]
    trouble: int


@dataclass(frozen=True, slots=True)
class OpenedTable:
    """A table file: its sheet, and what its columns mean."""

    sheet: Sheet
    mapping: TableMapping


def open_layout_table(path: Path, shelf: MappingShelf, progress: Progress) -> OpenedTable | None:
    """Open a table with its columns as they were the last time, or as its headings suggest; None if it is none."""
    progress.step(0.1, f"reading {path.name}")
    if not is_table(read_bytes(path), path):
        return None
    sheet, guessed = open_table(path)
    return OpenedTable(sheet, shelf.find(guessed.headings) or guessed)


def bring_in_layouts(path: Path, known: list[Layout], table: OpenedTable | None, progress: Progress) -> Brought:
    """Read a layout file of any known format; of a table, what was opened."""
    progress.step(0.1, f"reading {path.name}")
    mapping = table.mapping if table is not None else None
    if table is not None:
        form, found = TABLE, layouts_of_table(table.sheet, table.mapping, str(path))
    else:
        form, found = read_layout_file(path)
    progress.step(0.7, "comparing with the library")
    layouts = onto_library(found.layouts, known, form, mapping)
    problems = {layout.id: check_layout(layout) for layout in layouts}
    for layout in layouts:
        if problems[layout.id]:
            found.leave(layout.name, problems[layout.id][0].sentence)
    kept = [layout for layout in layouts if not problems[layout.id]]
    before = {layout.id: layout for layout in known}
    standings = tuple(_standing(before.get(layout.id), layout) for layout in kept)
    trouble = trouble_of(table.sheet, table.mapping) if table is not None else 0
    return Brought(path, form, tuple(kept), standings, tuple(found.left), trouble)


def _standing(before: Layout | None, layout: Layout) -> str:
    if before is None:
        return f"new, {layout.applies.address_text()}, {counted(len(list(layout.all_fields())), 'field')}"
    return "" if before == layout else describe_change(before, layout)
