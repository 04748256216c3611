"""The gate of a server: functions of the database, which look at login, order, state and parent themselves.

Their text is ``migrations/sql/v0007_server.sql``. Times, numbers and identities of what is new come from there.
"""

from __future__ import annotations

import json
from collections.abc import Collection
from dataclasses import asdict
from typing import Any
from uuid import UUID

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import ARRAY

from .base import Change, DocumentIndex, LayoutIndex, ProposalStep

_TYPES = {
    "hold": "uuid[]", "keep_layout": "uuid, integer, text, text, text, uuid, json",
    "keep_recipe": "uuid, integer, text, text, text, text",
    "keep_document": "uuid, text, integer, text, text, text, uuid, text, text",
    "tell_proposal": "uuid, uuid, text, text, text, integer, text, integer", "set_rules": "integer, json, text",
    "release": "text, text, text", "keep_draft": "uuid, integer, text, text", "drop_draft": "uuid",
    "say_present": "uuid, text, uuid", "leave": "uuid",
}  # fmt: skip
"""Each function with the types of its arguments: a bare NULL has none, and the server must not guess."""


class ServerGate:
    """Calls the functions of the database."""

    def hold(self, connection: sa.Connection, things: Collection[UUID]) -> None:
        """Take the row of each thing."""
        if things:
            listed = sa.bindparam("things", sorted(things), ARRAY(sa.Uuid()))
            connection.execute(sa.text("SELECT zesty_hold(:things)").bindparams(listed))

    def keep_layout(
        self, connection: sa.Connection, change: Change, index: LayoutIndex | None, proposal: UUID | None
    ) -> sa.Row:
        """Keep a state of a layout."""
        plain = json.dumps(asdict(index)) if index is not None else None
        return _call(connection, "keep_layout", *_changed(change), proposal, plain).one()

    def keep_recipe(self, connection: sa.Connection, change: Change, index: DocumentIndex | None) -> sa.Row:
        """Keep a state of a recipe."""
        return _call(connection, "keep_recipe", *_changed(change), index.name if index is not None else None).one()

    def keep_document(
        self, connection: sa.Connection, sort: str, change: Change, index: DocumentIndex | None
    ) -> sa.Row:
        """Keep a state of a document."""
        found = (index.about, index.name, index.folded_text) if index is not None else (None, None, None)
        item, *rest = _changed(change)
        return _call(connection, "keep_document", item, sort, *rest, *found).one()

    def tell_proposal(self, connection: sa.Connection, step: ProposalStep) -> UUID:
        """Add to a proposal."""
        arguments = (step.proposal, step.layout, step.kind, step.author, step.text, step.parent, step.document,
                     step.agreed_to)  # fmt: skip
        return UUID(str(_call(connection, "tell_proposal", *arguments).scalar_one()))

    def set_rules(self, connection: sa.Connection, needed: int, agreed_by: str, author: str) -> None:
        """Set the rules."""
        _call(connection, "set_rules", needed, agreed_by, author)

    def release(self, connection: sa.Connection, name: str, notes: str, author: str) -> None:
        """Make a release."""
        _call(connection, "release", name, notes, author)

    def keep_draft(
        self, connection: sa.Connection, layout: UUID, document: str, parent: int | None, author: str, reason: str
    ) -> None:
        """Keep a draft; whose it is the server knows."""
        _call(connection, "keep_draft", layout, parent, reason, document)

    def drop_draft(self, connection: sa.Connection, layout: UUID, author: str) -> None:
        """Throw a draft away."""
        _call(connection, "drop_draft", layout)

    def say_present(self, connection: sa.Connection, window: UUID, author: str, layout: UUID | None) -> None:
        """Say that a window is there."""
        _call(connection, "say_present", window, author, layout)

    def leave(self, connection: sa.Connection, window: UUID) -> None:
        """Say that a window closes."""
        _call(connection, "leave", window)


def _changed(change: Change) -> tuple[Any, ...]:
    return change.item, change.parent, change.author, change.reason, change.document


def _call(connection: sa.Connection, function: str, *arguments: Any) -> sa.CursorResult:
    types = _TYPES[function].split(", ")
    given = {f"a{number}": str(one) if isinstance(one, UUID) else one for number, one in enumerate(arguments)}
    listed = ", ".join(f"CAST(:a{number} AS {kind})" for number, kind in zip(range(len(arguments)), types, strict=True))
    return connection.execute(sa.text(f"SELECT * FROM zesty_{function}({listed})"), given)
