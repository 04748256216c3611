"""What every gate can do. All of it happens inside a transaction of its caller."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict, dataclass
from typing import Any, Protocol
from uuid import UUID

import sqlalchemy as sa


@dataclass(frozen=True, slots=True)
class IndexedField:
    """What a field, or anything else with a name and a unit, is searched by."""

    field_id: str
    name: str
    unit: str
    folded_name: str
    folded_unit: str


@dataclass(frozen=True, slots=True)
class LayoutIndex:
    """What the newest state of a layout is searched by; ``address`` is -1 for any, ``lanes`` are a line each."""

    name: str
    folded_name: str
    protocol: str
    address: int
    extended: bool
    lanes: str
    fields: tuple[IndexedField, ...]

    def columns(self) -> dict[str, Any]:
        """Return the columns of the table of heads."""
        return {key: value for key, value in asdict(self).items() if key != "fields"}


@dataclass(frozen=True, slots=True)
class DocumentIndex:
    """What the newest state of a document is found by: its name, what it is about, its text without capitals."""

    name: str
    about: str | None = None
    folded_text: str = ""


@dataclass(frozen=True, slots=True)
class Change:
    """A new state of a thing on its way into its table.

    Attributes
    ----------
    item
    document
        Its JSON form; None removes it.
    parent, number
        Revision that was the newest until now, None if there was none; number of the new one.
    author, reason
    """

    item: UUID
    document: str | None
    parent: int | None
    number: int
    author: str
    reason: str


@dataclass(frozen=True, slots=True)
class ProposalStep:
    """Something that happens to a proposal.

    Attributes
    ----------
    proposal
        None where a new one is made.
    layout
    kind
        ``proposed``, ``replied``, ``agreed``, ``sent back`` or ``withdrawn``.
    author, text
    parent, document
        Where ``kind`` is proposed: the revision it began from, and the state, None to remove the layout.
    agreed_to
        Where ``kind`` is agreed: number of the event that proposed what is agreed to.
    """

    proposal: UUID | None
    layout: UUID
    kind: str
    author: str
    text: str
    parent: int | None = None
    document: str | None = None
    agreed_to: int | None = None


class Gate(Protocol):
    """Writes into a library. What a database refuses comes as an error of its driver, nothing of it is written."""

    def hold(self, connection: sa.Connection, things: Collection[UUID]) -> None:
        """Make everybody else who wants to change one of these wait until the transaction ends."""

    def keep_layout(
        self, connection: sa.Connection, change: Change, index: LayoutIndex | None, proposal: UUID | None
    ) -> sa.Row:
        """Keep a state of a layout, with the proposal that was agreed; return its row."""

    def keep_recipe(self, connection: sa.Connection, change: Change, index: DocumentIndex | None) -> sa.Row:
        """Keep a state of a recipe; return its row."""

    def keep_document(
        self, connection: sa.Connection, sort: str, change: Change, index: DocumentIndex | None
    ) -> sa.Row:
        """Keep a state of a document of a sort; return its row."""

    def tell_proposal(self, connection: sa.Connection, step: ProposalStep) -> UUID:
        """Add to what happened to a proposal, or make one; return its id."""

    def set_rules(self, connection: sa.Connection, needed: int, agreed_by: str, author: str) -> None:
        """Have other rules from now on; ``agreed_by`` is JSON, a list of names."""

    def release(self, connection: sa.Connection, name: str, notes: str, author: str) -> None:
        """Give the newest state of all layouts a name."""

    def keep_draft(
        self, connection: sa.Connection, layout: UUID, document: str, parent: int | None, author: str, reason: str
    ) -> None:
        """Keep one's draft of a layout in the place of the one before."""

    def drop_draft(self, connection: sa.Connection, layout: UUID, author: str) -> None:
        """Throw one's draft of a layout away."""

    def say_present(self, connection: sa.Connection, window: UUID, author: str, layout: UUID | None) -> None:
        """Tell that a window is open, with a layout in hand."""

    def leave(self, connection: sa.Connection, window: UUID) -> None:
        """Tell that a window closes."""
