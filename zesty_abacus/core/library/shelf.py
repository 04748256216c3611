"""A shelf of a library: things that are kept whole, with every revision, and the newest states at hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar
from uuid import UUID

import sqlalchemy as sa

from .access import Access
from .gates.base import Change
from .history import History, Revision


class Kept(Protocol):
    """What can lie on a shelf: it has an identity that stays, and a name."""

    @property
    def id(self) -> UUID:
        """Its identity."""

    @property
    def name(self) -> str:
        """What it is called."""


T = TypeVar("T", bound=Kept)
Keep = Callable[[sa.Connection, Change, Any], sa.Row]
"""Writes a change with what the new state is searched by, None where the thing is removed."""


@dataclass(frozen=True, slots=True)
class Head(Generic[T]):
    """The newest state of a thing and the revision that made it."""

    state: T
    revision: Revision


class Shelf(Generic[T]):
    """Things of one kind in an open library. Every method is one transaction; it may be used from any thread.

    Parameters
    ----------
    access
        The way to the database.
    history
        Their revisions.
    heads
        The table of newest states; ``key`` names the column with a thing's id.
    keep
        Writes a change with what the new state is searched by.
    indexed
        What a state is searched by.
    kind
        Value of the columns ``kind`` where several kinds of things share the tables; empty where they do not.
    order
        Columns of the table of newest states, by which lists are in order.
    """

    def __init__(
        self,
        access: Access,
        history: History[T],
        heads: sa.Table,
        key: str,
        keep: Keep,
        indexed: Callable[[T], Any],
        kind: str = "",
        order: Sequence[str] = ("name",),
    ) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._history = history
        self._table, self._key = heads, heads.c[key]
        self._keep = keep
        self._indexed = indexed
        self._kind = {"kind": kind} if kind else {}
        self._order = tuple(order)

    def heads(self) -> list[Head[T]]:
        """Return the newest state of everything on the shelf, in order."""
        return self._heads()

    def states(self) -> list[T]:
        """Return the newest state of everything on the shelf, as :meth:`heads`."""
        return [head.state for head in self.heads()]

    def head_of(self, item_id: UUID) -> Head[T] | None:
        """Return the newest state of one thing, None if it is unknown or removed.

        Raises
        ------
        DamagedEntryError
            If it cannot be read; among others it would only be noted.
        """
        with self._reading() as connection:
            row = connection.execute(self._newest(self._key == str(item_id))).first()
        return self._head_in(row) if row else None

    def commit(self, state: T, *, parent: int | None, author: str, reason: str = "") -> Revision:
        """Keep a new state.

        Parameters
        ----------
        parent
            Id of the revision the edit began from; None for a thing that is new.
        reason
            Why; what changed is put in its place if it is empty.

        Raises
        ------
        StaleParentError
            If the parent is not the newest state. Nothing is written.
        LibraryError
            If the database does not take it. Nothing is written.
        """
        with self._writing(state.id) as connection:
            before = self._history.newest(connection, state.id)
            self._history.check_parent(before, parent, state.name)
            return self._append(connection, state.id, state, before, author, reason or self._words(before, state))

    def remove(self, item_id: UUID, *, parent: int, author: str, reason: str = "removed") -> Revision:
        """Remove a thing; its history stays and any state can be committed again. Raises as :meth:`commit`."""
        with self._writing(item_id) as connection:
            before = self._history.newest(connection, item_id)
            self._history.check_parent(before, parent, str(item_id))
            return self._append(connection, item_id, None, before, author, reason)

    def history(self, item_id: UUID) -> list[Revision]:
        """Return all changes of a thing, newest first."""
        with self._reading() as connection:
            return self._history.of(connection, item_id)

    def state_at(self, revision_id: int) -> T:
        """Return the state that a revision made; raises :class:`UnknownLayoutError` if it made none."""
        with self._reading() as connection:
            return self._history.state_at(connection, revision_id)

    def import_all(self, states: Sequence[T], *, author: str, reason: str) -> int:
        """Commit states from a file in one transaction; return how many were new or changed, the others are left."""
        changed = 0
        with self._writing(*(state.id for state in states)) as connection:
            for state in states:
                before = self._history.newest(connection, state.id)
                if not self._history.is_same(before, state):
                    self._append(connection, state.id, state, before, author, reason)
                    changed += 1
        return changed

    # what a shelf of one kind of things may say otherwise

    def _words(self, before: sa.Row | None, _state: T) -> str:
        """Return the reason of a change that came without one."""
        return f"new {self._history.what}" if before is None else "changed"

    def _check(self, state: T) -> None:
        """Raise where a state may not be kept."""

    # for the shelves themselves

    def _heads(self, *which: sa.ColumnElement[bool]) -> list[Head[T]]:
        with self._reading() as connection:
            return self._history.readable(connection.execute(self._newest(*which)), self._head_in)

    def _newest(self, *which: sa.ColumnElement[bool]) -> sa.Select:
        """Return the query for the revisions of newest states, in the order of the shelf."""
        revisions, heads = self._history.table, self._table
        own = [heads.c[name] == value for name, value in self._kind.items()]
        query = sa.select(revisions).join(heads, heads.c.revision_id == revisions.c.id).where(*own, *which)
        return query.order_by(*(heads.c[name] for name in self._order), revisions.c.id)

    def _head_in(self, row: sa.Row) -> Head[T]:
        return Head(self._history.state_of(row), self._history.revision_of(row))

    def _append(
        self, connection: sa.Connection, item_id: UUID, state: T | None, before: sa.Row | None,
        author: str, reason: str,
    ) -> Revision:  # fmt: skip
        if state is not None:
            self._check(state)
        change = self._history.change(item_id, state, before, author, reason)
        index = self._indexed(state) if state is not None else None
        return self._history.revision_of(self._keep(connection, change, index))
