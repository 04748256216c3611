"""Notices that somebody changed something in a library: told at once by a server, by a light look at a file."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Protocol, cast

import psycopg

from .driver_errors import mapped_errors
from .errors import UnreachableError
from .store import Library

_CHANNEL = "zesty_news"
_LOOK_S = 0.25
ANY = "any"
"""Told where something changed and nobody says what."""


class Watch(Protocol):
    """Waits for changes; used by one thread."""

    def wait(self, seconds: float, over: threading.Event | None = None) -> frozenset[str]:
        """Wait at most so long; return which tables have new rows since the last call, :data:`ANY` if it is not known.

        Parameters
        ----------
        over
            Once it is set, the wait may end before its time.

        Raises
        ------
        UnreachableError
            If the server does not answer; a new watch has to be made.
        """

    def close(self) -> None:
        """Watch no more."""


def watch(library: Library) -> Watch:
    """Begin to watch a library; raises :class:`LibraryError` if it cannot be reached."""
    if library.address.url is None:
        return _FileWatch(library)
    return _ServerWatch(library)


class _ServerWatch:
    """Listens to what the server tells of new rows."""

    def __init__(self, library: Library) -> None:
        self._where = str(library.address)
        with mapped_errors(self._where):
            # a connection of its own, not one of the pool: it listens as long as the window is open
            borrowed = library.engine.raw_connection()
            self._connection = cast(psycopg.Connection, borrowed.driver_connection)
            borrowed.detach()
        try:
            with self._mapped_errors():
                self._connection.rollback()
                self._connection.autocommit = True
                self._connection.execute(f"LISTEN {_CHANNEL}")
        except BaseException:
            # it belongs to no pool that would let it go
            self._connection.close()
            raise

    def wait(self, seconds: float, over: threading.Event | None = None) -> frozenset[str]:
        with self._mapped_errors():
            first = [told.payload for told in self._connection.notifies(timeout=seconds, stop_after=1)]
            rest = [told.payload for told in self._connection.notifies(timeout=0)] if first else []
        return frozenset(first + rest)

    def close(self) -> None:
        self._connection.close()

    @contextmanager
    def _mapped_errors(self) -> Iterator[None]:
        """Turn errors of a connection used by itself, which the database package knows nothing of, into ours."""
        try:
            yield
        except (psycopg.Error, OSError) as error:
            raise UnreachableError("the server of the library does not answer.", where=self._where,
                                   hint="Look at the network; what was kept is safe.") from error  # fmt: skip


class _FileWatch:
    """Looks at the number that SQLite changes with every commit of another connection."""

    def __init__(self, library: Library) -> None:
        self._where = str(library.address)
        with mapped_errors(self._where):
            self._connection = library.engine.connect()
        self._seen = self._version()

    def wait(self, seconds: float, over: threading.Event | None = None) -> frozenset[str]:
        end = time.monotonic() + seconds
        over = over or threading.Event()
        while True:
            version = self._version()
            if version != self._seen:
                self._seen = version
                return frozenset([ANY])
            left = end - time.monotonic()
            if left <= 0 or over.wait(min(_LOOK_S, left)):
                return frozenset()

    def close(self) -> None:
        self._connection.close()

    def _version(self) -> int:
        with mapped_errors(self._where):
            try:
                return int(self._connection.exec_driver_sql("PRAGMA data_version").scalar() or 0)
            finally:
                # the look is no transaction that would hold an old state
                self._connection.rollback()
