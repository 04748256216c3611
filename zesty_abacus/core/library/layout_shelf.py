"""The layouts of a library: changes merged by identity, earlier states, releases, search."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

import sqlalchemy as sa

from ..layouts.changes import describe_change
from ..layouts.json_form import layout_from_json, layout_to_json
from ..layouts.merge import merge_layouts
from ..layouts.model import Layout
from ..layouts.validate import check_layout
from .access import Access
from .damage import uuid_of
from .errors import ClashError
from .history import History, Revision
from .keepable import check_keepable
from .releases import ReleaseShelf
from .search import Found, SearchHit, layout_index, list_layouts, search
from .shelf import Head, Shelf
from .tables import head, revision

LayoutHead = Head[Layout]
"""The newest state of a layout and the revision that made it."""


def merge_onto(base: Layout, ours: Layout, newest: LayoutHead, where: str) -> Layout:
    """Return our change of ``base`` on top of the newest state.

    Raises
    ------
    ClashError
        If both changed the same thing differently, or make no valid layout together.
    """
    merged = merge_layouts(base, ours, newest.state)
    problems = check_layout(merged.layout)
    if merged.clashes or problems:
        what = ", ".join(dict.fromkeys(clash.name for clash in merged.clashes)) or problems[0].sentence
        message = f"{newest.revision.author} changed the same: {what}."
        raise ClashError(message, merged=merged, theirs=newest, where=where)
    return merged.layout


class LayoutShelf(Shelf[Layout]):
    """The layouts of an open library, in order of their addresses."""

    def __init__(self, access: Access, releases: ReleaseShelf) -> None:
        history = History[Layout](
            revision, "layout_id", layout_to_json, lambda data, where: layout_from_json(data, where=where),
            what="layout", where=access.where, damage=access.damage,
        )  # fmt: skip
        keep = access.gate.keep_layout
        super().__init__(
            access, history, head, "layout_id", lambda connection, change, index: keep(connection, change, index, None),
            layout_index, order=("address", "name"),
        )  # fmt: skip
        self._access = access
        self._releases = releases
        self._where = access.where

    def heads_of(self, only: Collection[UUID]) -> list[LayoutHead]:
        """Return the newest state of some layouts, by address; those that are unknown or removed are left out."""
        return self._heads(head.c.layout_id.in_([str(key) for key in only]))

    def commit_merged(self, layout: Layout, *, parent: int | None, author: str, reason: str = "") -> LayoutHead:
        """Keep a new state of a layout; if others moved on since its parent, keep both changes merged.

        Raises
        ------
        ClashError
            If both changed the same thing differently, or the two changes make no valid layout together. Nothing is
            written, and nothing is lost: the error holds all sides.
        LibraryError
            If the database does not take it. Nothing is written.
        """
        with self._writing(layout.id) as connection:
            return self._merge_in(connection, layout, parent, author, reason)

    def keep_agreed(
        self, connection: sa.Connection, layout_id: UUID, layout: Layout | None, parent: int | None,
        author: str, reason: str, proposal: UUID,
    ) -> None:  # fmt: skip
        """Keep what a proposal says, or remove what it takes away, inside a transaction of its caller."""
        if layout is not None:
            self._merge_in(connection, layout, parent, author, reason, proposal)
            return
        before = self._history.newest(connection, layout_id)
        self._history.check_parent(before, parent, str(layout_id))
        self._append_agreed(connection, layout_id, None, before, author, reason, proposal)

    def changes_since(self, number: int) -> list[tuple[int, UUID]]:
        """Return (revision, layout) of the changes behind a number, oldest first."""
        query = sa.select(revision.c.id, revision.c.layout_id).where(revision.c.id > number).order_by(revision.c.id)
        with self._reading() as connection:
            where = f"{self._where}, layout revision"
            rows = connection.execute(query)
            return self._history.readable(rows, lambda row: (row.id, uuid_of(row.layout_id, f"{where} {row.id}")))

    def log(self, limit: int = 100) -> list[tuple[Revision, str]]:
        """Return the newest changes of the whole library with the layout's name at the time."""
        query = sa.select(revision).order_by(revision.c.id.desc()).limit(limit)
        with self._reading() as connection:
            rows = connection.execute(query).all()
        history = self._history
        return history.readable(
            rows, lambda row: (history.revision_of(row), history.state_of(row).name if row.document else "")
        )

    def of_release(self, release: str) -> list[Layout]:
        """Return the layouts of a release; raises :class:`UnknownLayoutError` if there is none of the name."""
        query = sa.select(revision).where(revision.c.id.in_(self._releases.revisions_of(release)))
        with self._reading() as connection:
            rows = connection.execute(query).all()
        return sorted((self._history.state_of(row) for row in rows), key=_by_address)

    def at(self, moment: datetime) -> list[Layout]:
        """Return every layout as it was at a moment."""
        return self._until(revision.c.time_us <= int(moment.timestamp() * 1_000_000))

    def upto(self, number: int) -> list[Layout]:
        """Return every layout as it was after the change of a number."""
        return self._until(revision.c.id <= number)

    def search(self, text: str, limit: int = 50) -> list[SearchHit]:
        """Find layouts by part of a name, a field's name or a comment, by a unit, or an address: ``0x1A0``, ``416``."""
        with self._reading() as connection:
            return search(connection, text, limit, self._access.damage)

    def find(self, text: str = "", limit: int = 10_000) -> list[Found]:
        """Return what a list of layouts shows: all by address, or those that a text finds, the best first."""
        with self._reading() as connection:
            return list_layouts(connection, text, limit, self._access.damage)

    def _merge_in(
        self, connection: sa.Connection, layout: Layout, parent: int | None, author: str, reason: str,
        proposal: UUID | None = None,
    ) -> LayoutHead:  # fmt: skip
        before = self._history.newest(connection, layout.id)
        current = before is None or parent is None or before.document is None or before.id == parent
        if current:
            self._history.check_parent(before, parent, layout.name)
            words = reason or self._words(before, layout)
            kept = self._append_agreed(connection, layout.id, layout, before, author, words, proposal)
            return Head(layout, kept)
        assert before is not None and parent is not None
        base = self._history.state_at(connection, parent)
        newest = self._head_in(before)
        both = merge_onto(base, layout, newest, self._where)
        if both == newest.state:
            # it is there already: made twice because the answer of the first time was lost on its way
            return newest
        own = reason or describe_change(base, layout)
        words = f"{own} (merged with the change by {newest.revision.author})"
        return Head(both, self._append_agreed(connection, layout.id, both, before, author, words, proposal))

    def _append_agreed(
        self, connection: sa.Connection, layout_id: UUID, layout: Layout | None, before: sa.Row | None,
        author: str, reason: str, proposal: UUID | None,
    ) -> Revision:  # fmt: skip
        """Append a change with the proposal that others have agreed to, if it was one."""
        if layout is not None:
            self._check(layout)
        change = self._history.change(layout_id, layout, before, author, reason)
        index = layout_index(layout) if layout is not None else None
        return self._history.revision_of(self._access.gate.keep_layout(connection, change, index, proposal))

    def _until(self, which: sa.ColumnElement[bool]) -> list[Layout]:
        newest = (
            sa.select(sa.func.max(revision.c.id).label("id")).where(which).group_by(revision.c.layout_id).subquery()
        )
        query = sa.select(revision).join(newest, newest.c.id == revision.c.id)
        with self._reading() as connection:
            rows = connection.execute(query).all()
        found = self._history.readable((row for row in rows if row.document), self._history.state_of)
        return sorted(found, key=_by_address)

    def _words(self, before: sa.Row | None, state: Layout) -> str:
        known = self._history.state_of(before) if before is not None and before.document else None
        return describe_change(known, state)

    def _check(self, state: Layout) -> None:
        check_keepable(state, self._where)


def _by_address(layout: Layout) -> tuple[int, str]:
    return layout.applies.address or 0, layout.name
