"""The part of the heavy engine that makes, compares and exchanges layouts; reached as ``engine.laid``."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..core.exchange.mapping_shelf import MappingShelf
from ..core.exchange.onto import onto_library
from ..core.exchange.registry import TABLE, WRITERS, open_table, read_layout_file
from ..core.exchange.result import ExchangeError, Left, read_bytes
from ..core.exchange.sheets import Sheet, is_workbook
from ..core.exchange.table_mapping import (
    ROLES,
    Known,
    TableMapping,
    guess_mapping,
    is_field_row,
    mapping_by_example,
    place_of,
    rows_of,
    trouble_of,
)
from ..core.handover.sheet import sheet_of
from ..core.handover.sheet_files import write_sheets
from ..core.handover.sheet_svg import sheet_pages
from ..core.layouts.changes import head_changes, what_it_is
from ..core.layouts.compare import Compared, Standing, compare_layouts
from ..core.layouts.merge import Clash, Merged, merge_layouts, with_choice
from ..core.layouts.model import Layout
from ..core.layouts.reshape import (
    CannotReshapeError,
    ends_of,
    joined,
    moved,
    neighbour_of,
    reshaped,
    split_off,
    stretched,
)
from ..core.layouts.validate import check_layout
from ..core.layouts.variants import Variant, present_ids, variants_of
from ..core.library.errors import ClashError, UnreachableError
from ..core.library.store import Library
from ..core.library.unsent import keep_waiting, read_waiting, unsent_path
from ..core.progress import Progress
from ..core.unravel.orders import Order, orders_that_give, parse_received
from .edits import EditStep
from .settings import unsent_folder


@dataclass(frozen=True, slots=True)
class Brought:
    """What reading somebody's file gives, before any of it is kept.

    Attributes
    ----------
    form
        Name of the format.
    layouts
        As they would be kept: what the format cannot say is as the library has it.
    left
        What was not carried over.
    """

    path: Path
    form: str
    layouts: tuple[Layout, ...]
    left: tuple[Left, ...]


def bring_in_layouts(path: Path, known: list[Layout], mapping: TableMapping | None, progress: Progress) -> Brought:
    """Read a layout file of any known format."""
    progress.step(0.1, f"reading {path.name}")
    form, found = read_layout_file(path, mapping)
    progress.step(0.7, "comparing with the library")
    layouts = onto_library(found.layouts, known, form, mapping if form == TABLE else None)
    valid = [layout for layout in layouts if not check_layout(layout)]
    return Brought(path, form, tuple(valid), tuple(found.left))


def unsent_edits(library: Library) -> list[EditStep]:
    """Return the edits that wait on this machine for a library."""
    return [EditStep(*edit) for edit in read_waiting(unsent_path(unsent_folder(), str(library.address)))]


def keep_unsent(library: Library, steps: list[EditStep]) -> None:
    """Write down the edits that wait for a library."""
    edits = [(step.layout_id, step.before, step.after, step.reason) for step in steps]
    keep_waiting(unsent_path(unsent_folder(), str(library.address)), edits)


def note_unsent(library: Library, step: EditStep) -> None:
    """Add an edit to those that wait for a library; may be called on any thread."""
    waiting = unsent_edits(library)
    if step not in waiting:
        keep_unsent(library, [*waiting, step])


def is_table_file(path: Path) -> bool:
    """Whether a file is a table, whose columns are for the user to explain."""
    return path.suffix.lower() in (".csv", ".tsv", ".txt", ".xlsx") or is_workbook(read_bytes(path))


def put_out_layouts(path: Path, form: str, layouts: list[Layout], progress: Progress) -> list[Left]:
    """Write layouts to a file; return what the format has no room for."""
    progress.step(0.2, f"writing {path.name}")
    _, _, write = WRITERS[form]
    written = write(layouts)
    try:
        path.write_bytes(written.data)
    except OSError as error:
        raise ExchangeError(f"the file cannot be written ({error.strerror}).", where=str(path)) from error
    return written.left


__all__ = [
    "ROLES",
    "TABLE",
    "WRITERS",
    "Brought",
    "CannotReshapeError",
    "Clash",
    "ClashError",
    "Compared",
    "Known",
    "MappingShelf",
    "Merged",
    "Order",
    "Sheet",
    "Standing",
    "TableMapping",
    "UnreachableError",
    "Variant",
    "bring_in_layouts",
    "compare_layouts",
    "ends_of",
    "guess_mapping",
    "head_changes",
    "is_field_row",
    "is_table_file",
    "joined",
    "keep_unsent",
    "mapping_by_example",
    "merge_layouts",
    "moved",
    "neighbour_of",
    "note_unsent",
    "open_table",
    "orders_that_give",
    "parse_received",
    "place_of",
    "present_ids",
    "put_out_layouts",
    "reshaped",
    "rows_of",
    "sheet_of",
    "sheet_pages",
    "split_off",
    "stretched",
    "trouble_of",
    "unsent_edits",
    "variants_of",
    "what_it_is",
    "with_choice",
    "write_sheets",
]  # fmt: skip
