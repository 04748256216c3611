"""Opens the database under a library and brings its tables up to date."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import sqlalchemy as sa
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory

from .errors import LibraryError, NewerLibraryError, mapped_errors

_BUSY_MS = 10_000
WRITES = "zesty_writes"
"""Execution option of a connection that will write, so that it takes the write lock at once."""


def open_engine(path: Path, *, create: bool) -> sa.Engine:
    """Open a SQLite library and migrate it.

    Commits are durable when they return (write-ahead log, synchronous FULL): a kill or a power cut loses
    only what was not yet acknowledged.

    Raises
    ------
    LibraryError
        If the file is missing, is there already, or is no library.
    NewerLibraryError
        If a later version of the program made it.
    """
    if create == path.exists():
        state = "exists already" if create else "does not exist"
        raise LibraryError(f"the library {state}.", where=str(path))
    if create and not path.parent.is_dir():
        raise LibraryError("the folder does not exist.", where=str(path.parent))
    if not create:
        _check_header(path)
    engine = sa.create_engine(f"sqlite:///{path}", connect_args={"timeout": _BUSY_MS / 1000})
    sa.event.listen(engine, "connect", _on_connect)
    sa.event.listen(engine, "begin", _on_begin)
    with mapped_errors(str(path)):
        _migrate(engine, path)
    return engine


def _check_header(path: Path) -> None:
    """Refuse what is plainly another file before the driver writes beside it."""
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise LibraryError(f"the library cannot be opened ({error.strerror}).", where=str(path)) from error
    if head and head != b"SQLite format 3\0":
        raise LibraryError("this file is not a library.", where=str(path))


def _on_connect(connection: Any, _record: Any) -> None:
    # transactions are begun by hand in _on_begin; the driver's own scheme would begin them too late
    connection.isolation_level = None
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.close()


def _on_begin(connection: sa.Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get(WRITES) else "BEGIN")


def _migrate(engine: sa.Engine, path: Path) -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    script = ScriptDirectory.from_config(config)
    newest = script.get_current_head()
    with engine.connect() as connection:
        current = _current_version(connection)
    if current == newest:
        return
    if current is not None and current not in {item.revision for item in script.walk_revisions()}:
        raise NewerLibraryError(
            f"its tables are of version {current}, newer than {newest}.",
            where=str(path),
            hint="Open it with the newer program.",
        )
    with engine.connect().execution_options(**{WRITES: True}) as connection, connection.begin():
        # another process may have migrated while this one waited for the lock; Alembic looks again
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _current_version(connection: sa.Connection) -> str | None:
    if not sa.inspect(connection).has_table("alembic_version"):
        return None
    return connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar()
