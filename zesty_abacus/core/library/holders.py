"""Says who holds what somebody else waits for, where the server knows."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from contextlib import contextmanager

import sqlalchemy as sa
import sqlalchemy.exc

from .errors import LockedError

_LOCK_NOT_AVAILABLE = "55P03"
_HOLDERS = """
    SELECT DISTINCT a.usename, a.application_name, a.pid FROM pg_locks l JOIN pg_stat_activity a ON a.pid = l.pid
    JOIN pg_class c ON c.oid = l.relation JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE l.granted AND l.pid <> pg_backend_pid() AND a.datname = current_database() AND n.nspname = current_schema()
      AND l.mode NOT IN ('AccessShareLock')
      AND NOT EXISTS (SELECT FROM pg_locks w WHERE w.pid = l.pid AND NOT w.granted)
    ORDER BY a.pid LIMIT 4"""
"""Sessions with a lock that may stand in somebody's way, and that wait for nobody themselves."""


@contextmanager
def told_who_holds(engine: sa.Engine, where: str) -> Iterator[None]:
    """Turn a lock that was waited for in vain into a :class:`LockedError` with the names of who has it."""
    try:
        yield
    except sqlalchemy.exc.DBAPIError as error:
        if getattr(error.orig, "sqlstate", None) != _LOCK_NOT_AVAILABLE:
            raise
        who = ", ".join(_holders(engine))
        raise LockedError(
            f"{who or 'somebody else'} holds what is to be changed, and has not let it go for some seconds.",
            where=where, hint="Try again, or ask them; the server's keeper can end a session.",
        ) from error  # fmt: skip


def _holders(engine: sa.Engine) -> list[str]:
    with contextlib.suppress(sqlalchemy.exc.SQLAlchemyError), engine.connect() as connection:
        rows = connection.execute(sa.text(_HOLDERS)).all()
        return [f"{row.usename} with {row.application_name or 'a program'} (process {row.pid})" for row in rows]
    return []
