"""Readings on disk until the other side has taken them; one program at a time forwards from a spool."""

from __future__ import annotations

import fcntl
import hashlib
import os
import sqlite3
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

from .errors import ForwardError

_TABLES = """
CREATE TABLE IF NOT EXISTS waiting (number INTEGER PRIMARY KEY AUTOINCREMENT, place TEXT NOT NULL, body BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS job (name TEXT PRIMARY KEY, done INTEGER NOT NULL);
"""


def spool_path(folder: Path, url: str) -> Path:
    """Return where readings wait for an address: whoever forwards there takes up what the one before left."""
    return folder / f"{hashlib.sha256(url.encode()).hexdigest()[:24]}.sqlite"


class Waiting(NamedTuple):
    """A reading that waits: its number, where it goes, and what is sent."""

    number: int
    place: str
    body: bytes


class Spool:
    """A file of readings in order; used by two threads.

    A job that was broken off goes on behind the readings that were put in: both are kept in one step.

    Raises
    ------
    ForwardError
        If it cannot be opened, or another program forwards from it.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._lock = threading.Lock()
        with self._errors():
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            # readings may be somebody's secret: nobody else looks into them
            handle = os.open(path.with_name(path.name + ".lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            self._held = os.fdopen(handle, "w")
            try:
                fcntl.flock(self._held, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                self._held.close()
                raise ForwardError("another program forwards there already.", where=str(path),
                                   hint="Wait for it, or end it.") from error  # fmt: skip
            os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600))
            self._database = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
            self._database.executescript("PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;" + _TABLES)
            # counting rows takes as long as there are many, and who looks at it looks again and again
            self._count: int = self._database.execute("SELECT count(*) FROM waiting").fetchone()[0]

    def done(self, job: str) -> int:
        """Return how many readings of a job were put in before; 0 of a new one."""
        with self._errors():
            row = self._database.execute("SELECT done FROM job WHERE name = ?", (job,)).fetchone()
        return row[0] if row else 0

    def put(self, readings: Sequence[tuple[str, bytes]], job: str = "", done: int = 0) -> None:
        """Put readings in, and note how far their job is."""
        with self._errors():
            self._database.execute("BEGIN IMMEDIATE")
            self._database.executemany("INSERT INTO waiting (place, body) VALUES (?, ?)", readings)
            if job:
                self._database.execute("INSERT INTO job VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET done = ?",
                                       (job, done, done))  # fmt: skip
            self._database.execute("COMMIT")
            self._count += len(readings)

    def first(self, count: int) -> list[Waiting]:
        """Return the readings that wait longest."""
        with self._errors():
            rows = self._database.execute("SELECT number, place, body FROM waiting ORDER BY number LIMIT ?", (count,))
            return [Waiting(*row) for row in rows.fetchall()]

    def taken(self, number: int) -> None:
        """Forget the readings up to a number: the other side has them."""
        with self._errors():
            self._count -= self._database.execute("DELETE FROM waiting WHERE number <= ?", (number,)).rowcount

    def count(self) -> int:
        """Return how many readings wait, or waited when it was closed; at once, from whatever thread."""
        return self._count

    def finish(self, job: str) -> None:
        """Forget how far a job is: asked for again, it begins anew."""
        with self._errors():
            self._database.execute("DELETE FROM job WHERE name = ?", (job,))

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            self._database.close()
            self._held.close()

    @contextmanager
    def _errors(self) -> Iterator[None]:
        with self._lock:
            try:
                yield
            except (sqlite3.Error, OSError) as error:
                raise ForwardError(f"readings cannot be kept ({error}).", where=str(self._path),
                                   hint="Make room, or name another file with --queue.") from error  # fmt: skip
