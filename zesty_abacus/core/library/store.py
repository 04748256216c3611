"""The library itself: its shelves, and what is about all of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple
from uuid import UUID

import sqlalchemy as sa

from ..origin import Origin, source_names
from .access import Access
from .address import LibraryAddress, library_address
from .damage import Damage
from .documents import CLAIM, COMMENT, CONDITION, MOMENTS, RECORDING, REHEARSAL, DocumentShelf
from .drafts import DraftShelf
from .driver_errors import mapped_errors
from .engine import WRITES, open_engine
from .gates import gate_of
from .holders import told_who_holds
from .layout_shelf import LayoutShelf
from .presence import PresenceShelf
from .proposals import ProposalShelf
from .recipe_shelf import RecipeShelf
from .releases import ReleaseShelf
from .tables import (
    document_revision,
    library_info,
    proposal_event,
    recipe_revision,
    release,
    revision,
    rule,
)


class Marks(NamedTuple):
    """The numbers of the newest changes of a library, 0 where there was none; equal marks mean no news."""

    layouts: int
    recipes: int
    documents: int
    proposals: int
    releases: int
    rules: int


class Library:
    """An open library. Every method, of a shelf too, is one transaction; it may be used from any thread.

    Use :meth:`create` and :meth:`open`.

    Attributes
    ----------
    address, id, name
    layouts, recipes, releases, comments, claims, moments, conditions, recordings, rehearsals
        What is kept in it, a shelf each.
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
        access = Access(self._reading, self.writing, self._gate, str(address), self._damage)
        self.releases = ReleaseShelf(access)
        self.layouts = LayoutShelf(access, self.releases)
        self.recipes = RecipeShelf(access)
        self.comments = DocumentShelf(COMMENT, access)
        self.claims = DocumentShelf(CLAIM, access)
        self.moments = DocumentShelf(MOMENTS, access)
        self.conditions = DocumentShelf(CONDITION, access)
        self.recordings = DocumentShelf(RECORDING, access)
        self.rehearsals = DocumentShelf(REHEARSAL, access)
        self.proposals = ProposalShelf(access, self.layouts.keep_agreed)
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
