"""Releases: named sets of states of layouts that never change."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa

from .access import Access
from .errors import LibraryError, UnknownLayoutError
from .signing import moment
from .tables import release, release_item


@dataclass(frozen=True, slots=True)
class Release:
    """A release without its content.

    Attributes
    ----------
    name, notes
    author, time
        Who made it, and when (UTC).
    layouts
        How many it holds.
    """

    name: str
    notes: str
    author: str
    time: datetime
    layouts: int


class ReleaseShelf:
    """The releases of an open library; parameters as of the shelf of recipes."""

    def __init__(self, access: Access) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._gate, self._where = access.gate, access.where

    def all(self) -> list[Release]:
        """Return all releases, newest first."""
        count = sa.select(sa.func.count()).where(release_item.c.release_id == release.c.id).scalar_subquery()
        query = sa.select(release, count.label("layouts")).order_by(release.c.id.desc())
        with self._reading() as connection:
            return [
                Release(row.name, row.notes, row.author, moment(row.time_us), row.layouts)
                for row in connection.execute(query)
            ]

    def revisions_of(self, name: str) -> list[int]:
        """Return the revisions that a release holds; raises :class:`UnknownLayoutError` if there is no such release."""
        query = sa.select(release_item.c.revision_id).join(release).where(release.c.name == name)
        with self._reading() as connection:
            if connection.execute(sa.select(release.c.id).where(release.c.name == name)).first() is None:
                raise UnknownLayoutError(f"there is no release {name!r}.", where=self._where)
            return [row.revision_id for row in connection.execute(query)]

    def make(self, name: str, *, author: str, notes: str = "") -> None:
        """Give the newest state of all layouts a name that stays.

        Raises
        ------
        LibraryError
            If the name is empty or taken, or the server does not allow it.
        """
        if not name.strip():
            raise LibraryError("a release needs a name.", where=self._where)
        with self._writing() as connection:
            if connection.execute(sa.select(release.c.id).where(release.c.name == name)).first() is not None:
                message = f"there is a release {name!r} already, and a release never changes."
                raise LibraryError(message, where=self._where)
            self._gate.release(connection, name, notes, author)
