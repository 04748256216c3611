"""The heavy part that makes, compares and exchanges layouts; reached as ``laid`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.exchange.bringing import Brought, OpenedTable, bring_in_layouts, open_layout_table
from ...core.exchange.mapping_shelf import MappingShelf
from ...core.exchange.putting_out import put_out_layouts
from ...core.exchange.registry import WRITERS
from ...core.exchange.sheets import Sheet
from ...core.exchange.table_mapping import (
    ROLES,
    Known,
    TableMapping,
    is_field_row,
    mapping_by_example,
    place_of,
    rows_of,
)
from ...core.handover.sheet import sheet_of
from ...core.handover.sheet_files import write_sheets
from ...core.handover.sheet_svg import sheet_pages
from ...core.layouts.changes import head_changes, without_content
from ...core.layouts.compare import Compared, Standing, compare_layouts, compare_sets
from ...core.layouts.merge import merge_layouts
from ...core.layouts.reshape import (
    ends_of,
    joined,
    moved,
    neighbour_of,
    reshaped,
    split_off,
    stretched,
)
from ...core.layouts.variants import Variant, present_ids, variants_of
from ...core.library import passwords
from ...core.library.address import library_address
from ...core.library.conditions import share_condition
from ...core.library.documents import Claim, ClaimStanding, Comment, NamedMoment, SharedCondition
from ...core.library.edit_writer import EditWriter, Request
from ...core.library.errors import (
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
from ...core.library.proposals import Proposal, Rules, Step
from ...core.library.renewing import propose_on_newest
from ...core.library.search import Found
from ...core.library.search import Standing as LibraryStanding
from ...core.library.seen_curve import SeenCurve, curve_seen
from ...core.library.steps import Drafted, DraftInHand, EditStep, Kept, Proposed, Refused, StepState
from ...core.library.store import Library, Marks
from ...core.library.sync import bring_together
from ...core.library.unsent import WaitingEdits
from ...core.library.watch import watch
from ...core.reading.differences import Difference, decoded_differences
from ...core.reading.unrecorded import MessageSort, message_sorts
from ...core.trial.intake import BroughtIn
from ...core.trial.recorded import recordings_of
from ...core.unravel.code_tables import DerivedCode, KnownText, derived_code
from ...core.unravel.devices.held import HeldRegisters
from ...core.unravel.known_value import order_of
from ...core.unravel.orders import Order, orders_that_give, parse_received
from .settings import unsent_folder


def type_password(where: str, password: str, *, keep: bool) -> None:
    """Use a password for the server of an address as long as the program runs, and keep it in the keyring if asked."""
    passwords.type_password(library_address(where), password, keep=keep)


def has_password(library: Library) -> bool:
    """Return whether the password of a library's server is known to the program; a file has none."""
    return library.address.url is not None and passwords.has_password(library.address)


def forget_password(library: Library) -> str:
    """Forget the password of a library's server; return whose it was, and where."""
    if not passwords.forget_password(library.address):
        raise LibraryError("the keyring of this desktop does not let go of the password.",
                           hint="Take it out of the keyring with the desktop's own program.")  # fmt: skip
    return library.address.login


def waiting_edits(library: Library) -> WaitingEdits:
    """Return where the edits of a window wait on this machine for a library."""
    return WaitingEdits(unsent_folder(), library)


__all__ = [
    "ROLES",
    "SAID_EVERY_S",
    "WRITERS",
    "Brought",
    "BroughtIn",
    "Claim",
    "ClaimStanding",
    "ClashError",
    "Comment",
    "Compared",
    "DerivedCode",
    "Difference",
    "DraftInHand",
    "Drafted",
    "EditStep",
    "EditWriter",
    "Follower",
    "Found",
    "HeldRegisters",
    "Kept",
    "Known",
    "KnownText",
    "Ledger",
    "LibraryStanding",
    "MappingShelf",
    "Marks",
    "MessageSort",
    "NamedMoment",
    "OpenedTable",
    "Order",
    "PasswordNeededError",
    "Proposal",
    "Proposed",
    "Refused",
    "RefusedError",
    "Request",
    "Rules",
    "Seen",
    "SeenCurve",
    "SharedCondition",
    "Sheet",
    "Somebody",
    "Standing",
    "Step",
    "StepState",
    "TableMapping",
    "UnreachableError",
    "Variant",
    "add_moments",
    "bring_in_layouts",
    "bring_together",
    "compare_layouts",
    "compare_sets",
    "curve_seen",
    "decoded_differences",
    "derived_code",
    "ends_of",
    "forget_password",
    "has_password",
    "head_changes",
    "is_field_row",
    "joined",
    "mapping_by_example",
    "merge_layouts",
    "message_sorts",
    "moved",
    "neighbour_of",
    "open_layout_table",
    "order_of",
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
    "share_condition",
    "sheet_of",
    "sheet_pages",
    "split_off",
    "stretched",
    "type_password",
    "variants_of",
    "waiting_edits",
    "watch",
    "without_content",
    "write_sheets",
]  # fmt: skip
