"""Releases: named sets of states of layouts that never change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa

from .errors import LibraryError, UnknownLayoutError
from .shelf import Reading, Writing
from .signing import moment, now_us
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

    def __init__(self, reading: Reading, writing: Writing, where: str) -> None:
        self._reading = reading
        self._writing = writing
        self._where = where

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

    def keep(
        self, connection: sa.Connection, name: str, author: str, notes: str, items: Sequence[tuple[str, int]]
    ) -> None:
        """Write a release inside a transaction: (layout id, revision) of each layout.

        Raises
        ------
        LibraryError
            If the name is empty or taken.
        """
        if not name.strip():
            raise LibraryError("a release needs a name.", where=self._where)
        if connection.execute(sa.select(release.c.id).where(release.c.name == name)).first() is not None:
            raise LibraryError(f"there is a release {name!r} already, and a release never changes.", where=self._where)
        values = {"name": name, "notes": notes, "author": author, "time_us": now_us()}
        key = connection.execute(sa.insert(release).values(values)).inserted_primary_key
        assert key is not None
        rows = [{"release_id": key[0], "layout_id": layout, "revision_id": state} for layout, state in items]
        if rows:
            connection.execute(sa.insert(release_item), rows)
