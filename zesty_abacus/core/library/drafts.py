"""Drafts: what somebody works on before they propose it. Only they see it; on a server a row policy says so."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import sqlalchemy as sa

from ..layouts.json_form import layout_to_json
from ..layouts.model import Layout
from .access import Access
from .history import layout_in
from .signing import moment
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

    def __init__(self, access: Access) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._gate, self._where, self._damage = access.gate, access.where, access.damage

    def of(self, author: str) -> list[Draft]:
        """Return one's drafts, oldest first; on a server, of the login one has there."""
        with self._reading() as connection:
            rows = connection.execute(sa.select(draft).where(_own(connection, author)).order_by(draft.c.time_us)).all()
        found = []
        for row in rows:
            with self._damage.noting():
                where = f"{self._where}, draft of {row.layout_id}"
                found.append(Draft(layout_in(row.document, where), row.parent_id, row.reason, moment(row.time_us)))
        return found

    def keep(self, layout: Layout, *, parent: int | None, author: str, reason: str = "") -> None:
        """Keep a draft in the place of the one before."""
        document = layout_to_json(layout).decode()
        with self._writing(layout.id) as connection:
            self._gate.keep_draft(connection, layout.id, document, parent, author, reason)

    def drop(self, layout_id: UUID, *, author: str) -> None:
        """Throw a draft away."""
        with self._writing(layout_id) as connection:
            self._gate.drop_draft(connection, layout_id, author)


def _own(connection: sa.Connection, author: str) -> sa.ColumnElement[bool]:
    if connection.dialect.name == "postgresql":
        return draft.c.login == sa.literal_column("session_user")
    return draft.c.login == author
