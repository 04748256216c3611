"""History of things that are kept whole: every state with who, when and why, each from the one before.

Layouts and recipes are kept the same way, in tables of the same shape; what differs is how a state is written
and what is searched by.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Generic, TypeVar
from uuid import UUID

import sqlalchemy as sa

from ..errors import AbacusError
from ..layouts.json_form import layout_from_json
from ..layouts.model import Layout
from .damage import Damage, uuid_of
from .errors import DamagedEntryError, StaleParentError, UnknownLayoutError
from .gates.base import Change
from .signing import moment

T = TypeVar("T")
H = TypeVar("H")


@dataclass(frozen=True, slots=True)
class Revision:
    """One change of one thing.

    Attributes
    ----------
    id
        Number in the library, rising with time.
    item_id
        Of the layout or recipe.
    number
        1 for the first state of the thing, then one more each change.
    parent_id
        The revision it began from, None for the first.
    author, time, reason
        Who, when (UTC) and why.
    removed
        Whether this change removed the thing.
    login
        Whom the server knew the author as; empty in a file.
    """

    id: int
    item_id: UUID
    number: int
    parent_id: int | None
    author: str
    time: datetime
    reason: str
    removed: bool
    login: str = ""


class History(Generic[T]):
    """The revisions of one kind of thing; every method works inside a transaction of its caller.

    Parameters
    ----------
    table
        With the columns of ``revision``; ``key`` names the one with the thing's id.
    encode, decode
        A state as a document, and back; ``decode`` is told where the document lies.
    what
        The kind of thing, for errors.
    where
        The library, for errors.
    damage
        Hears of what cannot be read.
    """

    def __init__(
        self,
        table: sa.Table,
        key: str,
        encode: Callable[[T], bytes],
        decode: Callable[[bytes, str], T],
        *,
        what: str,
        where: str,
        damage: Damage,
    ) -> None:
        self.table = table
        self._key = table.c[key]
        self._encode, self._decode = encode, decode
        self.what, self._where = what, where
        self.damage = damage

    def newest(self, connection: sa.Connection, item_id: UUID) -> sa.Row | None:
        """Return the row of the newest revision, which may have removed the thing; None if there is none."""
        query = sa.select(self.table).where(self._key == str(item_id)).order_by(self.table.c.number.desc()).limit(1)
        return connection.execute(query).first()

    def check_parent(self, before: sa.Row | None, parent: int | None, name: str) -> None:
        """Raise :class:`StaleParentError` unless a change may begin from ``parent``."""
        current = before.id if before is not None else None
        # a thing that was removed may begin anew, or go on from its last revision
        if current != parent and not (before is not None and before.document is None and parent is None):
            raise StaleParentError(
                f"{name} was changed by {before.author if before is not None else 'nobody'} since this edit began.",
                where=self._where,
                hint="Look at the newest state and make the change again.",
            )

    def change(self, item_id: UUID, state: T | None, before: sa.Row | None, author: str, reason: str) -> Change:
        """Return the revision that follows ``before``, on its way into the table; a state of None removes the thing."""
        document = self._encode(state).decode() if state is not None else None
        parent, number = (before.id, before.number + 1) if before is not None else (None, 1)
        return Change(item_id, document, parent, number, author, reason)

    def of(self, connection: sa.Connection, item_id: UUID) -> list[Revision]:
        """Return all changes of a thing, newest first."""
        query = sa.select(self.table).where(self._key == str(item_id)).order_by(self.table.c.number.desc())
        return self.readable(connection.execute(query), self.revision_of)

    def state_at(self, connection: sa.Connection, revision_id: int) -> T:
        """Return the state a revision made; raises :class:`UnknownLayoutError` if it made none."""
        row = connection.execute(sa.select(self.table).where(self.table.c.id == revision_id)).first()
        if row is None or row.document is None:
            raise UnknownLayoutError(f"revision {revision_id} holds no {self.what}.", where=self._where)
        return self.state_of(row)

    def state_of(self, row: sa.Row) -> T:
        """Return the state in a row; raises :class:`DamagedEntryError` if it cannot be read."""
        where = f"{self._where}, {self.what} revision {row.id}"
        try:
            return self._decode(row.document.encode(), where)
        except AbacusError as error:
            raise DamagedEntryError(error.message, where=error.where or where, hint=error.hint) from error

    def readable(self, rows: Iterable[sa.Row], made: Callable[[sa.Row], H]) -> list[H]:
        """Return what is made of each row; one that cannot be read is noted and hides no other."""
        found = []
        for row in rows:
            with self.damage.noting():
                found.append(made(row))
        return found

    def is_same(self, before: sa.Row | None, state: T) -> bool:
        """Whether the newest revision already holds a state."""
        return before is not None and bool(before.document) and self.state_of(before) == state

    def revision_of(self, row: sa.Row) -> Revision:
        """Return what a row says of a change; raises :class:`DamagedEntryError` if it is no change of a thing."""
        return Revision(
            id=row.id,
            item_id=uuid_of(getattr(row, self._key.name), f"{self._where}, {self.what} revision {row.id}"),
            number=row.number,
            parent_id=row.parent_id,
            author=row.author,
            time=moment(row.time_us),
            reason=row.reason,
            removed=row.document is None,
            login=getattr(row, "login", ""),
        )


def layout_in(document: str, where: str) -> Layout:
    """Return the layout that a column holds; raises :class:`DamagedEntryError` if it holds none."""
    try:
        return layout_from_json(document.encode(), where=where)
    except AbacusError as error:
        raise DamagedEntryError(error.message, where=error.where or where, hint=error.hint) from error
