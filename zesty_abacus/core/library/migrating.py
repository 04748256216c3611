"""Brings the tables of a library up to date.

Loaded only where there is something to bring up to date: Alembic and what it loads take longer than opening a library.
"""

from __future__ import annotations

import contextlib
import threading

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from .rights import grant_statements, guard_statements
from .versions import MIGRATIONS

_LOCK = 0x7A65737479
"""Number of the lock that makes two programs migrate one after the other."""
MIGRATING = threading.Lock()
"""Alembic keeps what it works on in one place for the whole process, so one thread migrates at a time."""


def migrate(connection: sa.Connection, current: str | None) -> None:
    """Bring the tables up to date in the transaction of a connection; whoever calls holds :data:`MIGRATING`.

    Parameters
    ----------
    current
        The version of the tables, None if there are none yet.
    """
    on_server = connection.dialect.name == "postgresql"
    # another process may have migrated while this one waited for the lock; Alembic looks again
    if on_server:
        _hold_for_migration(connection, is_new=current is None)
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
    if on_server:
        _grant_again(connection)


def _hold_for_migration(connection: sa.Connection, *, is_new: bool) -> None:
    # rewriting a large history may take longer than a statement otherwise may
    connection.execute(sa.text("SET LOCAL statement_timeout = 0"))
    if is_new:
        connection.execute(sa.text("SELECT pg_advisory_xact_lock(:lock)"), {"lock": _LOCK})
    else:
        # unlike a numbered lock, nobody but the owner can take this one
        connection.execute(sa.text("LOCK TABLE library_info IN SHARE ROW EXCLUSIVE MODE"))


def _grant_again(connection: sa.Connection) -> None:
    """Give the roles, where there are any, their rights on what a migration made."""
    made = "SELECT count(*) FROM pg_roles WHERE rolname IN ('zesty_reader', 'zesty_writer', 'zesty_keeper')"
    granted = "SELECT has_table_privilege('zesty_reader', 'library_info', 'SELECT')"
    if connection.execute(sa.text(made)).scalar() != 3 or not connection.execute(sa.text(granted)).scalar():
        return
    # first of all what an earlier version gave is taken back, which the owner can always do
    for statement in grant_statements():
        connection.exec_driver_sql(statement.replace("%", "%%"))
    with contextlib.suppress(sa.exc.DBAPIError), connection.begin_nested():
        # where the owner may make no roles the functions stay the owner's; they ask the same
        for statement in guard_statements():
            connection.exec_driver_sql(statement.replace("%", "%%"))
