"""The library itself: commits, history, earlier states and search."""

from __future__ import annotations

import getpass
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import NamedTuple
from uuid import UUID

import sqlalchemy as sa

from ..layouts.changes import describe_change
from ..layouts.json_form import layout_from_json, layout_to_json
from ..layouts.merge import merge_layouts
from ..layouts.model import Layout
from ..layouts.validate import check_layout
from ..origin import Origin, source_names
from .access import Access
from .address import LibraryAddress, library_address
from .damage import Damage, uuid_of
from .documents import CLAIM, COMMENT, MOMENTS, RECORDING, DocumentShelf
from .drafts import DraftShelf
from .engine import WRITES, open_engine
from .errors import ClashError, mapped_errors
from .gates import gate_of
from .history import History, Revision
from .holders import told_who_holds
from .keepable import check_keepable
from .presence import PresenceShelf
from .proposals import ProposalShelf
from .recipe_shelf import RecipeShelf
from .releases import ReleaseShelf
from .search import Found, SearchHit, layout_index, list_layouts, search
from .tables import (
    document_revision,
    head,
    library_info,
    proposal_event,
    recipe_revision,
    release,
    revision,
    rule,
)


@dataclass(frozen=True, slots=True)
class LayoutHead:
    """The newest state of a layout and the revision that made it."""

    layout: Layout
    revision: Revision

    @property
    def state(self) -> Layout:
        """The layout, as of anything else that is kept with its history."""
        return self.layout


class Marks(NamedTuple):
    """The numbers of the newest changes of a library, 0 where there was none; equal marks mean no news."""

    layouts: int
    recipes: int
    documents: int
    proposals: int
    releases: int
    rules: int


def merge_onto(base: Layout, ours: Layout, newest: LayoutHead, where: str) -> Layout:
    """Return our change of ``base`` on top of the newest state.

    Raises
    ------
    ClashError
        If both changed the same thing differently, or make no valid layout together.
    """
    merged = merge_layouts(base, ours, newest.layout)
    problems = check_layout(merged.layout)
    if merged.clashes or problems:
        what = ", ".join(dict.fromkeys(clash.name for clash in merged.clashes)) or problems[0].sentence
        message = f"{newest.revision.author} changed the same: {what}."
        raise ClashError(message, merged=merged, theirs=newest, where=where)
    return merged.layout


def default_author() -> str:
    """Return the name under which this user's changes are kept."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "somebody"


class Library:
    """An open library. Every method is one transaction; it may be used from any thread.

    Use :meth:`create` and :meth:`open`.

    Attributes
    ----------
    address, id, name
    recipes, releases, comments, claims, moments, recordings
        What is kept in it besides layouts.
    proposals, drafts
        Changes on their way, and the rules about them.
    presence
        Who has it open.
    """

    def __init__(self, engine: sa.Engine, address: LibraryAddress) -> None:
        self._engine = engine
        self.address = address
        self._gate = gate_of(engine)
        self._damage = Damage()
        with self._reading() as connection:
            rows = connection.execute(sa.select(library_info.c.key, library_info.c.value)).all()
        facts = {row.key: row.value for row in rows}
        self.id = facts.get("id", "")
        self.name = facts.get("name", address.name)
        self._history = History[Layout](
            revision, "layout_id", layout_to_json, lambda data, where: layout_from_json(data, where=where),
            what="layout", where=str(address), damage=self._damage,
        )  # fmt: skip
        access = Access(self._reading, self.writing, self._gate, str(address), self._damage)
        self.recipes = RecipeShelf(access)
        self.releases = ReleaseShelf(access)
        self.comments = DocumentShelf(COMMENT, access)
        self.claims = DocumentShelf(CLAIM, access)
        self.moments = DocumentShelf(MOMENTS, access)
        self.recordings = DocumentShelf(RECORDING, access)
        self.proposals = ProposalShelf(access, self._keep_agreed)
        self.drafts = DraftShelf(access)
        self.presence = PresenceShelf(access)

    @classmethod
    def create(cls, where: str | Path | LibraryAddress, name: str = "") -> Library:
        """Make an empty library, in a file or a database; raises :class:`LibraryError` if there is one already."""
        address = library_address(where)
        return cls(open_engine(address, create=True, name=name), address)

    @classmethod
    def open(cls, where: str | Path | LibraryAddress) -> Library:
        """Open a library, migrating it if an earlier version of the program made it."""
        address = library_address(where)
        return cls(open_engine(address, create=False), address)

    def close(self) -> None:
        """Let go of the file, or of the server."""
        self._engine.dispose()

    def heads(self, only: Collection[UUID] | None = None) -> list[LayoutHead]:
        """Return the newest state of every layout, or of some, by address."""
        query = (
            sa.select(revision).join(head, head.c.revision_id == revision.c.id).order_by(head.c.address, head.c.name)
        )
        if only is not None:
            query = query.where(head.c.layout_id.in_([str(key) for key in only]))
        with self._reading() as connection:
            return self._history.readable(connection.execute(query), self._head_of)

    def layouts(self) -> list[Layout]:
        """Return the newest state of every layout, by address."""
        return [item.layout for item in self.heads()]

    def head_of(self, layout_id: UUID) -> LayoutHead | None:
        """Return the newest state of a layout, None if it is unknown or removed."""
        query = (
            sa.select(revision)
            .join(head, head.c.revision_id == revision.c.id)
            .where(head.c.layout_id == str(layout_id))
        )
        with self._reading() as connection:
            row = connection.execute(query).first()
        return self._head_of(row) if row else None

    def commit(self, layout: Layout, *, parent: int | None, author: str, reason: str = "") -> Revision:
        """Keep a new state of a layout.

        Parameters
        ----------
        parent
            Id of the revision the edit began from; None for a layout that is new.
        reason
            Why; what changed is put in its place if it is empty.

        Raises
        ------
        StaleParentError
            If the parent is not the newest state. Nothing is written.
        LibraryError
            If the database does not take it. Nothing is written.
        """
        with self.writing(layout.id) as connection:
            before = self._history.newest(connection, layout.id)
            self._history.check_parent(before, parent, layout.name)
            return self._append(connection, layout.id, layout, before, author, reason or self._words(before, layout))

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
        with self.writing(layout.id) as connection:
            return self._merge_in(connection, layout, parent, author, reason)

    def _merge_in(
        self, connection: sa.Connection, layout: Layout, parent: int | None, author: str, reason: str,
        proposal: UUID | None = None,
    ) -> LayoutHead:  # fmt: skip
        before = self._history.newest(connection, layout.id)
        current = before is None or parent is None or before.document is None or before.id == parent
        if current:
            self._history.check_parent(before, parent, layout.name)
            words = reason or self._words(before, layout)
            return LayoutHead(layout, self._append(connection, layout.id, layout, before, author, words, proposal))
        assert before is not None and parent is not None
        base = self._history.state_at(connection, parent)
        newest = self._head_of(before)
        both = merge_onto(base, layout, newest, str(self.address))
        if both == newest.layout:
            # it is there already: made twice because the answer of the first time was lost on its way
            return newest
        own = reason or describe_change(base, layout)
        words = f"{own} (merged with the change by {newest.revision.author})"
        return LayoutHead(both, self._append(connection, layout.id, both, before, author, words, proposal))

    def _keep_agreed(
        self, connection: sa.Connection, layout_id: UUID, layout: Layout | None, parent: int | None,
        author: str, reason: str, proposal: UUID,
    ) -> None:  # fmt: skip
        if layout is not None:
            self._merge_in(connection, layout, parent, author, reason, proposal)
            return
        before = self._history.newest(connection, layout_id)
        self._history.check_parent(before, parent, str(layout_id))
        self._append(connection, layout_id, None, before, author, reason, proposal)

    def _words(self, before: sa.Row | None, layout: Layout) -> str:
        known = self._history.state_of(before) if before is not None and before.document else None
        return describe_change(known, layout)

    def _head_of(self, row: sa.Row) -> LayoutHead:
        return LayoutHead(self._history.state_of(row), self._history.revision_of(row))

    def changes_since(self, number: int) -> list[tuple[int, UUID]]:
        """Return (revision, layout) of the changes behind a number, oldest first."""
        query = sa.select(revision.c.id, revision.c.layout_id).where(revision.c.id > number).order_by(revision.c.id)
        with self._reading() as connection:
            where = f"{self.address}, layout revision"
            rows = connection.execute(query)
            return self._history.readable(rows, lambda row: (row.id, uuid_of(row.layout_id, f"{where} {row.id}")))

    def marks(self) -> Marks:
        """Return the numbers of the newest changes: a light look for news."""
        columns = (revision.c.id, recipe_revision.c.id, document_revision.c.id, proposal_event.c.id, release.c.id,
                   rule.c.id)  # fmt: skip
        newest = [sa.select(sa.func.max(column)).scalar_subquery() for column in columns]
        with self._reading() as connection:
            return Marks(*(number or 0 for number in connection.execute(sa.select(*newest)).one()))

    def origin(self, release: str = "", sources: Sequence[Path] = ()) -> Origin:
        """Return what a file says that is made with a release, or with the newest state."""
        return Origin(self.name, self.id, self.marks().layouts, release, source_names(sources))

    def release(self, name: str, *, author: str, notes: str = "") -> None:
        """Give the newest state of all layouts a name that stays; raises :class:`LibraryError` if the name is taken."""
        self.releases.make(name, author=author, notes=notes)

    def layouts_of(self, release: str) -> list[Layout]:
        """Return the layouts of a release; raises :class:`UnknownLayoutError` if there is none of the name."""
        query = sa.select(revision).where(revision.c.id.in_(self.releases.revisions_of(release)))
        with self._reading() as connection:
            rows = connection.execute(query).all()
        return sorted(
            (self._history.state_of(row) for row in rows), key=lambda one: (one.applies.address or 0, one.name)
        )

    def remove(self, layout_id: UUID, *, parent: int, author: str, reason: str = "removed") -> Revision:
        """Remove a layout; its history stays and any state can be committed again. Raises as :meth:`commit`."""
        with self.writing(layout_id) as connection:
            before = self._history.newest(connection, layout_id)
            self._history.check_parent(before, parent, str(layout_id))
            return self._append(connection, layout_id, None, before, author, reason)

    def history(self, layout_id: UUID) -> list[Revision]:
        """Return all changes of a layout, newest first."""
        with self._reading() as connection:
            return self._history.of(connection, layout_id)

    def log(self, limit: int = 100) -> list[tuple[Revision, str]]:
        """Return the newest changes of the whole library with the layout's name at the time."""
        query = sa.select(revision).order_by(revision.c.id.desc()).limit(limit)
        with self._reading() as connection:
            rows = connection.execute(query).all()
        history = self._history
        return history.readable(
            rows, lambda row: (history.revision_of(row), history.state_of(row).name if row.document else "")
        )

    def layout_at(self, revision_id: int) -> Layout:
        """Return the state that a revision made.

        Raises
        ------
        UnknownLayoutError
            If there is no such revision, or it removed the layout.
        """
        with self._reading() as connection:
            return self._history.state_at(connection, revision_id)

    def layouts_at(self, moment: datetime) -> list[Layout]:
        """Return every layout as it was at a moment."""
        return self._layouts_until(revision.c.time_us <= int(moment.timestamp() * 1_000_000))

    def layouts_upto(self, number: int) -> list[Layout]:
        """Return every layout as it was after the change of a number."""
        return self._layouts_until(revision.c.id <= number)

    def _layouts_until(self, which: sa.ColumnElement[bool]) -> list[Layout]:
        newest = (
            sa.select(sa.func.max(revision.c.id).label("id")).where(which).group_by(revision.c.layout_id).subquery()
        )
        query = sa.select(revision).join(newest, newest.c.id == revision.c.id)
        with self._reading() as connection:
            rows = connection.execute(query).all()
        found = self._history.readable((row for row in rows if row.document), self._history.state_of)
        return sorted(found, key=lambda item: (item.applies.address or 0, item.name))

    def search(self, text: str, limit: int = 50) -> list[SearchHit]:
        """Find layouts by part of a name, a field's name or a comment, by a unit, or an address: ``0x1A0``, ``416``."""
        with self._reading() as connection:
            return search(connection, text, limit, self._damage)

    def find(self, text: str = "", limit: int = 10_000) -> list[Found]:
        """Return what a list of layouts shows: all by address, or those that a text finds, the best first."""
        with self._reading() as connection:
            return list_layouts(connection, text, limit, self._damage)

    def import_layouts(self, layouts: Sequence[Layout], *, author: str, reason: str) -> int:
        """Commit layouts from a file in one transaction; those equal to their head are left alone.

        Returns how many were new or changed.
        """
        changed = 0
        with self.writing(*(layout.id for layout in layouts)) as connection:
            for layout in layouts:
                before = self._history.newest(connection, layout.id)
                if not self._history.is_same(before, layout):
                    self._append(connection, layout.id, layout, before, author, reason)
                    changed += 1
        return changed

    def _append(
        self, connection: sa.Connection, layout_id: UUID, layout: Layout | None, before: sa.Row | None,
        author: str, reason: str, proposal: UUID | None = None,
    ) -> Revision:  # fmt: skip
        if layout is not None:
            check_keepable(layout, str(self.address))
        change = self._history.change(layout_id, layout, before, author, reason)
        index = layout_index(layout) if layout is not None else None
        return self._history.revision_of(self._gate.keep_layout(connection, change, index, proposal))

    def note(self) -> str:
        """Return what is worth saying once about how the library is kept, empty if there is nothing."""
        if self.address.path is None:
            return ""
        with self._reading() as connection:
            journal = connection.exec_driver_sql("PRAGMA journal_mode").scalar()
        if str(journal).lower() == "wal":
            return ""
        return (
            "This file system shares no memory between programs, so changes are kept without a log: safe, and slower, "
            "and whoever reads waits while somebody writes."
        )

    @property
    def damage(self) -> tuple[str, ...]:
        """Sentences about entries that were met and could not be read; they stay as they are."""
        return self._damage.sentences

    @property
    def engine(self) -> sa.Engine:
        """The database under it, for what is about the database itself."""
        return self._engine

    @contextmanager
    def _reading(self) -> Iterator[sa.Connection]:
        with mapped_errors(str(self.address)), self._engine.connect() as connection:
            yield connection

    @contextmanager
    def writing(self, *layouts: UUID) -> Iterator[sa.Connection]:
        """Give a connection inside a transaction that alone changes some layouts until it ends."""
        with (
            mapped_errors(str(self.address)),
            told_who_holds(self._engine, str(self.address)),
            self._engine.connect().execution_options(**{WRITES: True}) as connection,
            connection.begin(),
        ):
            self._gate.hold(connection, layouts)
            yield connection
