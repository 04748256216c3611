"""The one way into the tables of a library: functions of the database on a server, statements in a file."""

from __future__ import annotations

import sqlalchemy as sa

from .base import Gate, LayoutIndex
from .file import FileGate


def gate_of(engine: sa.Engine) -> Gate:
    """Return the gate of a database."""
    if engine.dialect.name != "postgresql":
        return FileGate()
    # most libraries are files, and what speaks to servers takes a while to load
    from .server import ServerGate

    return ServerGate()


__all__ = ["Gate", "LayoutIndex", "gate_of"]
