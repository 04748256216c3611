"""Opens the database under a library, a SQLite file or PostgreSQL, and brings its tables up to date."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from uuid import uuid4

import sqlalchemy as sa

from .address import LibraryAddress
from .driver_errors import mapped_errors
from .errors import LibraryError, NewerLibraryError, NoLibraryError, PasswordNeededError, RefusedError
from .file import check_is_library, file_engine, new_file_for
from .passwords import known_passwords
from .tables import library_info
from .versions import known_versions

_PATIENCE = {
    "connect_timeout": 10, "tcp_user_timeout": 8000,
    "keepalives": 1, "keepalives_idle": 5, "keepalives_interval": 2, "keepalives_count": 3,
    "options": "-c lock_timeout=8s -c statement_timeout=60s -c idle_in_transaction_session_timeout=120s",
}  # fmt: skip
"""A network that is cut says nothing: after so long a silence the server is taken not to answer.

Nobody waits for ever for somebody who holds a lock, nor makes others wait: the server ends it.
"""
WRITES = "zesty_writes"
"""Execution option of a connection that will write, so that it takes SQLite's write lock at once."""


def open_engine(address: LibraryAddress, *, create: bool, name: str = "") -> sa.Engine:
    """Open a library and migrate it, or make one.

    Commits are durable when they return: a kill or a power cut loses only what was not yet acknowledged.

    Raises
    ------
    LibraryError
        If the library is missing, is there already, or is none.
    NewerLibraryError
        If a later version of the program made it.
    """
    facts = {"id": str(uuid4()), "name": name or address.name} if create else {}
    if address.path is not None:
        return _file_library(address, address.path, facts)
    try:
        return _opened(_server_engine(address), address, facts)
    except PasswordNeededError as needed:
        # the client library knows none: what was typed, or is in the keyring, is tried
        return _opened_with(known_passwords(address), address, needed, facts)


def _opened_with(
    passwords: Iterator[str], address: LibraryAddress, refused: LibraryError, facts: Mapping[str, str]
) -> sa.Engine:
    for password in passwords:
        try:
            return _opened(_server_engine(address, password), address, facts)
        except RefusedError as error:
            refused = error
    raise refused


def _opened(engine: sa.Engine, address: LibraryAddress, facts: Mapping[str, str]) -> sa.Engine:
    where = str(address)
    with mapped_errors(where):
        try:
            current = _check_version(engine, where)
            _check_there(current, where, create=bool(facts))
            _bring_up_to_date(engine, current, facts)
        except BaseException:
            engine.dispose()
            raise
    return engine


def _file_library(address: LibraryAddress, path: Path, facts: Mapping[str, str]) -> sa.Engine:
    if facts:
        with new_file_for(path) as part:
            _opened(_engine_on(part), address, facts).dispose()
    check_is_library(path)
    return _opened(_engine_on(path), address, {})


def _engine_on(path: Path) -> sa.Engine:
    engine = file_engine(path)
    sa.event.listen(engine, "begin", _on_begin)
    return engine


def _server_engine(address: LibraryAddress, password: str | None = None) -> sa.Engine:
    assert address.url is not None
    secret = {"password": password} if password is not None else {}
    # a connection that the server dropped is noticed before it is used
    return sa.create_engine(
        address.url, pool_pre_ping=True, pool_size=4, max_overflow=4,
        connect_args={"application_name": "zesty-abacus", **_PATIENCE, **address.connect_options, **secret},
    )  # fmt: skip


def _check_there(current: str | None, where: str, *, create: bool) -> None:
    if create and current is not None:
        raise LibraryError("the library exists already.", where=where)
    if not create and current is None:
        raise NoLibraryError("there is no library in this database.", where=where,
                           hint="Make one with: zesty-abacus library new.")  # fmt: skip


def _on_begin(connection: sa.Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get(WRITES) else "BEGIN")


def _check_version(engine: sa.Engine, where: str) -> str | None:
    """Return the version of the tables, None if there are none yet; raises if it is not known here."""
    known = known_versions()
    with engine.connect() as connection:
        current = _current_version(connection)
    if current is not None and current not in known:
        raise NewerLibraryError(
            f"its tables are of version {current}, newer than {known[-1]}.",
            where=where,
            hint="Open it with the newer program.",
        )
    return current


def _bring_up_to_date(engine: sa.Engine, current: str | None, facts: Mapping[str, str]) -> None:
    """Migrate the tables; a new library gets its facts in the same transaction, so that it has all or none."""
    if current == known_versions()[-1]:
        return
    from .migrating import MIGRATING, migrate

    with MIGRATING, engine.connect().execution_options(**{WRITES: True}) as connection, connection.begin():
        migrate(connection, current)
        if facts:
            rows = [{"key": key, "value": value} for key, value in facts.items()]
            connection.execute(sa.insert(library_info), rows)


def _current_version(connection: sa.Connection) -> str | None:
    if not sa.inspect(connection).has_table("alembic_version"):
        return None
    return connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar()
