"""The one way into the tables of a library: functions of the database on a server, statements in a file."""

from __future__ import annotations

import sqlalchemy as sa

from .base import Gate, LayoutIndex
from .file import FileGate
from .server import ServerGate


def gate_of(engine: sa.Engine) -> Gate:
    """Return the gate of a database."""
    return ServerGate() if engine.dialect.name == "postgresql" else FileGate()


__all__ = ["Gate", "LayoutIndex", "gate_of"]
