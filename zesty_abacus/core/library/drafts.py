"""Drafts: what somebody works on before they propose it. Only they see it; on a server a row policy says so."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import sqlalchemy as sa

from ..layouts.json_form import layout_from_json, layout_to_json
from ..layouts.model import Layout
from .shelf import Reading, Writing
from .signing import moment, signed
from .tables import draft


@dataclass(frozen=True, slots=True)
class Draft:
    """A draft of a layout, the revision it began from (None for a new layout), what it is for, when it was kept."""

    layout: Layout
    parent: int | None
    reason: str
    time: datetime


class DraftShelf:
    """The drafts of one person in an open library; parameters as of the shelf of recipes."""

    def __init__(self, reading: Reading, writing: Writing, where: str) -> None:
        self._reading, self._writing = reading, writing
        self._where = where

    def of(self, author: str) -> list[Draft]:
        """Return one's drafts, oldest first; on a server, of the login one has there."""
        with self._reading() as connection:
            rows = connection.execute(sa.select(draft).where(_own(connection, author)).order_by(draft.c.time_us)).all()
        return [
            Draft(
                layout_from_json(row.document.encode(), where=f"{self._where}, draft"), row.parent_id, row.reason,
                moment(row.time_us),
            )
            for row in rows
        ]  # fmt: skip

    def keep(self, layout: Layout, *, parent: int | None, author: str, reason: str = "") -> None:
        """Keep a draft in the place of the one before."""
        stamp = {key: value for key, value in signed(author).items() if key != "author"}
        values = {
            "layout_id": str(layout.id), "parent_id": parent, "reason": reason,
            "document": layout_to_json(layout).decode(), **stamp,
        }  # fmt: skip
        with self._writing(layout.id) as connection:
            self._drop(connection, layout.id, author)
            connection.execute(sa.insert(draft).values(values))

    def drop(self, layout_id: UUID, *, author: str) -> None:
        """Throw a draft away."""
        with self._writing(layout_id) as connection:
            self._drop(connection, layout_id, author)

    def _drop(self, connection: sa.Connection, layout_id: UUID, author: str) -> None:
        own = (draft.c.layout_id == str(layout_id)) & _own(connection, author)
        connection.execute(sa.delete(draft).where(own))


def _own(connection: sa.Connection, author: str) -> sa.ColumnElement[bool]:
    if connection.dialect.name == "postgresql":
        return draft.c.login == sa.literal_column("session_user")
    return draft.c.login == author
