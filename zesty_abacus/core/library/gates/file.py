"""The gate of a file: plain statements. Who may write is for the file system to say; triggers hold off mistakes."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict
from typing import Any
from uuid import UUID, uuid4

import sqlalchemy as sa

from ..signing import now_us, signed
from ..tables import (
    document_head,
    document_revision,
    draft,
    head,
    head_field,
    presence,
    proposal_event,
    recipe_head,
    recipe_revision,
    release,
    release_item,
    revision,
    rule,
)
from .base import Change, DocumentIndex, LayoutIndex, ProposalStep


class FileGate:
    """Writes the tables of a file; its write lock is taken already, which holds everything."""

    def hold(self, connection: sa.Connection, things: Collection[UUID]) -> None:
        """Do nothing more: one at a time writes a file."""

    def keep_layout(
        self, connection: sa.Connection, change: Change, index: LayoutIndex | None, proposal: UUID | None
    ) -> sa.Row:
        """Keep a state of a layout."""
        key = str(change.item)
        agreed = {"proposal_id": str(proposal)} if proposal is not None else {}
        made = _append(connection, revision, {"layout_id": key}, change, **agreed)
        connection.execute(sa.delete(head_field).where(head_field.c.layout_id == key))
        connection.execute(sa.delete(head).where(head.c.layout_id == key))
        if index is not None:
            connection.execute(sa.insert(head).values(layout_id=key, revision_id=made.id, **index.columns()))
            if index.fields:
                connection.execute(
                    sa.insert(head_field), [{"layout_id": key, **asdict(field)} for field in index.fields]
                )
        if proposal is not None:
            step = ProposalStep(proposal, change.item, "kept", change.author, "")
            self.tell_proposal(connection, step)
        return made

    def keep_recipe(self, connection: sa.Connection, change: Change, index: DocumentIndex | None) -> sa.Row:
        """Keep a state of a recipe."""
        key = {"recipe_id": str(change.item)}
        made = _append(connection, recipe_revision, key, change)
        _replace_head(connection, recipe_head, key, made, {"name": index.name} if index is not None else None)
        return made

    def keep_document(
        self, connection: sa.Connection, sort: str, change: Change, index: DocumentIndex | None
    ) -> sa.Row:
        """Keep a state of a document."""
        key = {"document_id": str(change.item)}
        made = _append(connection, document_revision, key, change, kind=sort)
        columns = {"kind": sort, **asdict(index)} if index is not None else None
        _replace_head(connection, document_head, key, made, columns)
        return made

    def tell_proposal(self, connection: sa.Connection, step: ProposalStep) -> UUID:
        """Add to a proposal."""
        key = step.proposal or uuid4()
        connection.execute(
            sa.insert(proposal_event).values(
                proposal_id=str(key), layout_id=str(step.layout), kind=step.kind, text=step.text,
                parent_id=step.parent, document=step.document, agreed_to=step.agreed_to, **signed(step.author),
            )
        )  # fmt: skip
        return key

    def set_rules(self, connection: sa.Connection, needed: int, agreed_by: str, author: str) -> None:
        """Set the rules."""
        connection.execute(sa.insert(rule).values(needed=needed, agreed_by=agreed_by, **signed(author)))

    def release(self, connection: sa.Connection, name: str, notes: str, author: str) -> None:
        """Make a release; its items come first, since nothing is ever added to one that is there."""
        connection.exec_driver_sql("PRAGMA defer_foreign_keys = ON")
        number = (connection.execute(sa.select(sa.func.max(release.c.id))).scalar() or 0) + 1
        newest = sa.select(sa.literal(number), head.c.layout_id, head.c.revision_id)
        connection.execute(sa.insert(release_item).from_select(["release_id", "layout_id", "revision_id"], newest))
        made = {"id": number, "name": name, "notes": notes, "author": author, "time_us": now_us()}
        connection.execute(sa.insert(release).values(made))

    def keep_draft(
        self, connection: sa.Connection, layout: UUID, document: str, parent: int | None, author: str, reason: str
    ) -> None:
        """Keep a draft."""
        self.drop_draft(connection, layout, author)
        values = {"layout_id": str(layout), "parent_id": parent, "reason": reason, "document": document}
        connection.execute(sa.insert(draft).values(**values, login=author, time_us=now_us()))

    def drop_draft(self, connection: sa.Connection, layout: UUID, author: str) -> None:
        """Throw a draft away."""
        own = (draft.c.layout_id == str(layout)) & (draft.c.login == author)
        connection.execute(sa.delete(draft).where(own))

    def say_present(self, connection: sa.Connection, window: UUID, author: str, layout: UUID | None) -> None:
        """Say that a window is there."""
        mine = presence.c.window == str(window)
        values = {
            "author": author, "layout_id": str(layout) if layout is not None else None, "seen_us": now_us(),
        }  # fmt: skip
        if not connection.execute(sa.update(presence).where(mine).values(values)).rowcount:
            connection.execute(sa.insert(presence).values(window=str(window), login=author, **values))

    def leave(self, connection: sa.Connection, window: UUID) -> None:
        """Say that a window closes."""
        connection.execute(sa.delete(presence).where(presence.c.window == str(window)))


def _append(
    connection: sa.Connection, table: sa.Table, key: dict[str, str], change: Change, **columns: str
) -> sa.Row:  # fmt: skip
    values: dict[str, Any] = {
        **key, "number": change.number, "parent_id": change.parent, "reason": change.reason,
        "document": change.document, "author": change.author, "time_us": now_us(), **columns,
    }  # fmt: skip
    made = connection.execute(sa.insert(table).values(values)).inserted_primary_key
    assert made is not None
    return connection.execute(sa.select(table).where(table.c.id == made[0])).one()


def _replace_head(
    connection: sa.Connection, table: sa.Table, key: dict[str, str], made: sa.Row, columns: dict[str, Any] | None
) -> None:
    ((name, value),) = key.items()
    connection.execute(sa.delete(table).where(table.c[name] == value))
    if columns is not None:
        connection.execute(sa.insert(table).values(**key, revision_id=made.id, **columns))
