"""Who has what open: each window says now and then that it is there, and with which layout in hand."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import sqlalchemy as sa

from .shelf import Reading, Writing
from .signing import now_us
from .tables import presence

SAID_EVERY_S = 10
GONE_AFTER_S = 30
"""A window that said nothing for so long is taken to be gone: three of its words were lost."""


@dataclass(frozen=True, slots=True)
class Somebody:
    """An open window of somebody, and the layout in their hands, None for none."""

    window: UUID
    author: str
    layout_id: UUID | None


class PresenceShelf:
    """The open windows on a library; parameters as of a shelf. Nothing of it is history."""

    def __init__(self, reading: Reading, writing: Writing) -> None:
        self._reading, self._writing = reading, writing

    def say(self, window: UUID, author: str, layout_id: UUID | None) -> None:
        """Tell that a window is open, with a layout in hand; the clock that counts is the library's."""
        mine = presence.c.window == str(window)
        values = {"author": author, "layout_id": str(layout_id) if layout_id is not None else None}
        with self._writing() as connection:
            now = _now_us(connection)
            known = connection.execute(sa.select(presence.c.author, presence.c.layout_id).where(mine)).first()
            if known is not None and known._asdict() == values:
                # only the time, so that nobody is told of what is no news
                connection.execute(sa.update(presence).where(mine).values(seen_us=now))
            elif known is not None:
                connection.execute(sa.update(presence).where(mine).values(seen_us=now, **values))
            else:
                connection.execute(sa.insert(presence).values(window=str(window), seen_us=now, login=author, **values))

    def leave(self, window: UUID) -> None:
        """Tell that a window closes."""
        with self._writing() as connection:
            connection.execute(sa.delete(presence).where(presence.c.window == str(window)))

    def others(self, window: UUID) -> list[Somebody]:
        """Return who else is there, by name."""
        with self._reading() as connection:
            since = _now_us(connection) - GONE_AFTER_S * 1_000_000
            query = (
                sa.select(presence).where(presence.c.window != str(window), presence.c.seen_us >= since)
                .order_by(presence.c.author, presence.c.window)
            )  # fmt: skip
            return [
                Somebody(UUID(row.window), row.author, UUID(row.layout_id) if row.layout_id else None)
                for row in connection.execute(query)
            ]


def _now_us(connection: sa.Connection) -> int:
    if connection.dialect.name != "postgresql":
        return now_us()
    # of machines whose clocks differ, the server's is the one they share
    now = connection.execute(sa.text("SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint")).scalar()
    assert now is not None
    return int(now)
