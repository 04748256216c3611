"""The heavy part that makes, compares and exchanges layouts; reached as ``laid`` through :mod:`.doors`."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import msgspec

from ...core.exchange.layout_tables import layouts_of_table
from ...core.exchange.mapping_shelf import MappingShelf
from ...core.exchange.onto import onto_library
from ...core.exchange.registry import TABLE, WRITERS, is_table, open_table, read_layout_file
from ...core.exchange.result import Left, read_bytes
from ...core.exchange.sheets import Sheet
from ...core.exchange.table_mapping import (
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
from ...core.files.writing import Target, check_targets
from ...core.handover.sheet import sheet_of
from ...core.handover.sheet_files import write_sheets
from ...core.handover.sheet_svg import sheet_pages
from ...core.layouts.changes import describe_change, head_changes, what_it_is
from ...core.layouts.compare import Compared, Standing, compare_layouts, compare_sets
from ...core.layouts.merge import Clash, Merged, merge_layouts, with_choice
from ...core.layouts.model import Layout
from ...core.layouts.reshape import (
    CannotReshapeError,
    ends_of,
    joined,
    moved,
    neighbour_of,
    reshaped,
    split_off,
    stretched,
)
from ...core.layouts.validate import check_layout
from ...core.layouts.variants import Variant, present_ids, variants_of
from ...core.library import passwords
from ...core.library.address import library_address
from ...core.library.documents import Comment, NamedMoment, Recording
from ...core.library.edit_writer import EditWriter, Request
from ...core.library.errors import (
    AgreementNeededError,
    ClashError,
    LibraryError,
    PasswordNeededError,
    RefusedError,
    UnreachableError,
)
from ...core.library.follow import Follower, Seen
from ...core.library.ledger import Ledger
from ...core.library.moments import add_moments, parse_moment
from ...core.library.presence import SAID_EVERY_S, Somebody
from ...core.library.proposals import Event, Proposal, Rules, Step
from ...core.library.renewing import propose_on_newest
from ...core.library.search import Found
from ...core.library.search import Standing as LibraryStanding
from ...core.library.steps import Drafted, DraftInHand, EditStep, Kept, Proposed, Refused, StepState
from ...core.library.store import Library, Marks
from ...core.library.sync import SyncReport, sync
from ...core.library.unsent import WaitingEdits
from ...core.library.watch import watch
from ...core.origin import Origin, origin_target, write_origin
from ...core.progress import Progress
from ...core.reading.differences import Difference, decoded_differences
from ...core.trial.intake import BroughtIn
from ...core.trial.recorded import recordings_of
from ...core.unravel.orders import Order, orders_that_give, parse_received
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
        return f"new, {layout.applies.address_text()}, {len(list(layout.all_fields()))} fields"
    return "" if before == layout else describe_change(before, layout)


def bring_together(where: str, home: Library, author: str, progress: Progress) -> SyncReport:
    """Bring a working copy, which is made if it is not there, and its home together."""
    path = Path(where).expanduser()
    copy = Library.open(path) if path.exists() else Library.create(path, f"{home.name}, working copy")
    try:
        return sync(copy, home, author=author, progress=progress)
    finally:
        copy.close()


def type_password(where: str, password: str, *, keep: bool) -> None:
    """Use a password for the server of an address as long as the program runs, and keep it in the keyring if asked."""
    passwords.type_password(library_address(where), password, keep=keep)


def without_content(layout: Layout) -> Layout:
    """Return a layout of the same name that says nothing: what a new one is compared with, and a removed one."""
    return msgspec.structs.replace(layout, fields=(), parts=(), checks=(), computed=(), note="", sender="")


def waiting_edits(library: Library) -> WaitingEdits:
    """Return where the edits of a window wait on this machine for a library."""
    return WaitingEdits(unsent_folder(), library)


def put_out_layouts(
    target: Target, form: str, layouts: list[Layout], origin: Origin, progress: Progress
) -> tuple[int, str]:
    """Write layouts to a file; return how many things had no room, and the name of the file that lists them."""
    progress.step(0.2, f"writing {target.path.name}")
    _, _, write = WRITERS[form]
    written = write(layouts)
    listed = target.beside(".left.txt")
    check_targets([target, origin_target(target), *([listed] if written.left else [])])
    target.write(written.data)
    if written.left:
        listed.write("".join(f"{left.place}: {left.reason}\n" for left in written.left).encode())
    write_origin(target, origin)
    return len(written.left), listed.path.name


__all__ = [
    "ROLES",
    "SAID_EVERY_S",
    "TABLE",
    "WRITERS",
    "AgreementNeededError",
    "Brought",
    "BroughtIn",
    "CannotReshapeError",
    "Clash",
    "ClashError",
    "Comment",
    "Compared",
    "Difference",
    "DraftInHand",
    "Drafted",
    "EditStep",
    "EditWriter",
    "Event",
    "Follower",
    "Found",
    "Kept",
    "Known",
    "Ledger",
    "LibraryError",
    "LibraryStanding",
    "MappingShelf",
    "Marks",
    "Merged",
    "NamedMoment",
    "OpenedTable",
    "Order",
    "PasswordNeededError",
    "Proposal",
    "Proposed",
    "Recording",
    "Refused",
    "RefusedError",
    "Request",
    "Rules",
    "Seen",
    "Sheet",
    "Somebody",
    "Standing",
    "Step",
    "StepState",
    "SyncReport",
    "TableMapping",
    "UnreachableError",
    "Variant",
    "add_moments",
    "bring_in_layouts",
    "bring_together",
    "compare_layouts",
    "compare_sets",
    "decoded_differences",
    "ends_of",
    "guess_mapping",
    "head_changes",
    "is_field_row",
    "joined",
    "mapping_by_example",
    "merge_layouts",
    "moved",
    "neighbour_of",
    "open_layout_table",
    "orders_that_give",
    "parse_moment",
    "parse_received",
    "place_of",
    "present_ids",
    "propose_on_newest",
    "put_out_layouts",
    "recordings_of",
    "reshaped",
    "rows_of",
    "sheet_of",
    "sheet_pages",
    "split_off",
    "stretched",
    "type_password",
    "variants_of",
    "waiting_edits",
    "watch",
    "what_it_is",
    "with_choice",
    "without_content",
    "write_sheets",
]  # fmt: skip
