"""Who has what open: each window says now and then that it is there, and with which layout in hand."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import sqlalchemy as sa

from .access import Access
from .damage import uuid_of
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

    def __init__(self, access: Access) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._gate, self._where, self._damage = access.gate, access.where, access.damage

    def say(self, window: UUID, author: str, layout_id: UUID | None) -> None:
        """Tell that a window is open, with a layout in hand; the clock that counts is the library's."""
        with self._writing() as connection:
            self._gate.say_present(connection, window, author, layout_id)

    def leave(self, window: UUID) -> None:
        """Tell that a window closes."""
        with self._writing() as connection:
            self._gate.leave(connection, window)

    def others(self, window: UUID) -> list[Somebody]:
        """Return who else is there, by name."""
        with self._reading() as connection:
            since = _now_us(connection) - GONE_AFTER_S * 1_000_000
            query = (
                sa.select(presence).where(presence.c.window != str(window), presence.c.seen_us >= since)
                .order_by(presence.c.author, presence.c.window)
            )  # fmt: skip
            return [one for row in connection.execute(query) if (one := self._somebody(row)) is not None]

    def _somebody(self, row: sa.Row) -> Somebody | None:
        where = f"{self._where}, an open window of {row.author[:60]}"
        with self._damage.noting():
            layout = uuid_of(row.layout_id, where) if row.layout_id else None
            return Somebody(uuid_of(row.window, where), row.author, layout)
        return None


def _now_us(connection: sa.Connection) -> int:
    if connection.dialect.name != "postgresql":
        return now_us()
    # of machines whose clocks differ, the server's is the one they share
    now = connection.execute(sa.text("SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint")).scalar()
    assert now is not None
    return int(now)
