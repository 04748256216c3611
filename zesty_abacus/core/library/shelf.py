"""A shelf of a library: things that are kept whole, with every revision, and the newest states at hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Generic, Protocol, TypeVar
from uuid import UUID

import sqlalchemy as sa

from .access import Access
from .gates.base import Change, DocumentIndex
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
Keep = Callable[[sa.Connection, Change, "DocumentIndex | None"], sa.Row]


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
    """

    def __init__(
        self,
        access: Access,
        history: History[T],
        heads: sa.Table,
        key: str,
        keep: Keep,
        indexed: Callable[[T], DocumentIndex],
        kind: str = "",
    ) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._history = history
        self._table, self._key = heads, heads.c[key]
        self._keep = keep
        self._indexed = indexed
        self._kind = {"kind": kind} if kind else {}

    def heads(self) -> list[Head[T]]:
        """Return the newest state of everything on the shelf, by name."""
        return self._heads()

    def head_of(self, item_id: UUID) -> Head[T] | None:
        """Return the newest state of one thing, None if it is unknown or removed."""
        return next(iter(self._heads(self._key == str(item_id))), None)

    def commit(self, state: T, *, parent: int | None, author: str, reason: str = "") -> Revision:
        """Keep a new state.

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
            words = reason or (f"new {self._history.what}" if before is None else "changed")
            return self._append(connection, state.id, state, before, author, words)

    def remove(self, item_id: UUID, *, parent: int, author: str, reason: str = "removed") -> Revision:
        """Remove a thing; its history stays. Raises as :meth:`commit`."""
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
        """Commit states from a file in one transaction; return how many were new or changed."""
        changed = 0
        with self._writing(*(state.id for state in states)) as connection:
            for state in states:
                before = self._history.newest(connection, state.id)
                if not self._history.is_same(before, state):
                    self._append(connection, state.id, state, before, author, reason)
                    changed += 1
        return changed

    def _heads(self, *which: sa.ColumnElement[bool]) -> list[Head[T]]:
        history, heads = self._history, self._table
        own = [self._table.c[name] == value for name, value in self._kind.items()]
        query = (
            sa.select(history.table).join(heads, heads.c.revision_id == history.table.c.id)
            .where(*own, *which).order_by(heads.c.name, history.table.c.id)
        )  # fmt: skip
        with self._reading() as connection:
            rows = connection.execute(query)
            return history.readable(rows, lambda row: Head(history.state_of(row), history.revision_of(row)))

    def _append(
        self, connection: sa.Connection, item_id: UUID, state: T | None, before: sa.Row | None,
        author: str, reason: str,
    ) -> Revision:  # fmt: skip
        change = self._history.change(item_id, state, before, author, reason)
        index = self._indexed(state) if state is not None else None
        return self._history.revision_of(self._keep(connection, change, index))
