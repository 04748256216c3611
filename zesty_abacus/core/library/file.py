"""The file under a library: how it is made, told from other files, and opened, always by the driver itself.

Nothing here opens the file beside the driver: see :mod:`zesty_abacus.core.files.held`.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

import sqlalchemy as sa

from ..files.errors import ExistsError, FileError, HeldError, file_errors, file_errors_as
from ..files.held import hold, let_go
from ..files.reading import check_readable
from ..files.writing import open_part, put_new
from .errors import LibraryError, MissingLibraryError

APPLICATION_ID = 0x5A414C42
"""``ZALB`` in the header of a library's file, by which it is told from other programs' databases (SQLite, 1.3.5)."""
BUSY_MS = 10_000
_NOT_SHARED = ("nfs", "nfs4", "cifs", "smb3", "smbfs", "9p", "afs", "ceph", "glusterfs", "lustre", "fuse.sshfs",
               "fuse.glusterfs", "vboxsf", "prl_fs", "virtiofs", "hostfs")  # fmt: skip
"""File systems on which two machines share a file and not the memory that SQLite's log needs."""


@contextlib.contextmanager
def new_file_for(path: Path) -> Iterator[Path]:
    """Give an empty file beside ``path``, which takes that name when the block ends well: a library is there or is not.

    Raises
    ------
    LibraryError
        If there is something of this name already, or it cannot be made.
    """
    if not path.parent.is_dir():
        raise LibraryError("the folder does not exist.", where=str(path.parent))
    if os.path.lexists(path):
        raise LibraryError("the library exists already.", where=str(path))
    with file_errors_as(LibraryError), file_errors(path, "the library cannot be made"):
        part, opened = open_part(path)
        # nobody holds a file that is only now made, so it may be closed again
        os.close(opened)
    try:
        yield part
        with file_errors(path, "the library cannot be made"):
            put_new(part, path)
    except ExistsError as error:
        raise LibraryError("the library exists already.", where=str(path)) from error
    except FileError as error:
        raise LibraryError(error.message, where=error.where, hint=error.hint) from error
    finally:
        for ending in ("", "-wal", "-shm", "-journal"):
            with contextlib.suppress(OSError, ValueError):
                os.unlink(f"{part}{ending}")


def check_is_library(path: Path) -> None:
    """Check that a file is a library, this version's or an earlier one's, before anything is written into it.

    Raises
    ------
    LibraryError
        If it is missing, no regular file, damaged, another program's, or empty, as what a full disk or a broken
        copy left behind.
    """
    if not os.path.lexists(path):
        raise MissingLibraryError("the library does not exist.", where=str(path),
                           hint="Make one with: zesty-abacus library new.")  # fmt: skip
    if not os.access(path, os.R_OK):
        raise LibraryError("the library cannot be opened (Permission denied).", where=str(path))
    _check_regular(path)
    # pages that are only in the log are missing in the file, and rightly so
    log, size = Path(f"{path}-wal"), _size(path)
    has_log = _size(log) > 0
    try:
        with contextlib.closing(connect_file(path)) as connection:
            pages, page_bytes, application = (
                connection.execute(f"PRAGMA {name}").fetchone()[0]
                for name in ("page_count", "page_size", "application_id")
            )
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        raise _unreadable(error, path) from error
    # looked at again: another program may have begun to write meanwhile
    if not has_log and not _size(log) and size < pages * page_bytes and _size(path) == size:
        raise LibraryError(f"the file is cut off: {size} of {pages * page_bytes} bytes are there.", where=str(path),
                           hint="Take a copy of it, and look for a whole one.")  # fmt: skip
    if not pages or not tables:
        raise LibraryError("the file is empty; what it held is not in it.", where=str(path),
                           hint="Take a copy of it, or make another with: zesty-abacus library new.")  # fmt: skip
    # before there was an identity, the tables told
    if application != APPLICATION_ID and (application or not {"library_info", "alembic_version"} <= tables):
        raise LibraryError("this is a database of another program and no library.", where=str(path))


def file_engine(path: Path) -> sa.Engine:
    """Return an engine on a file that is there; each of its connections is known to hold the file."""
    engine = sa.create_engine(
        "sqlite://", creator=lambda: _held_connection(path), poolclass=sa.pool.QueuePool, pool_size=4, max_overflow=12
    )
    journal = "DELETE" if file_system_of(path) in _NOT_SHARED else "WAL"
    sa.event.listen(engine, "connect", lambda connection, _record: _set_up(connection, journal))
    sa.event.listen(engine, "close", lambda connection, _record: connection.let_go())
    sa.event.listen(engine, "close_detached", lambda connection: connection.let_go())
    return engine


def _size(path: Path) -> int:
    try:
        return os.stat(path).st_size
    except OSError:
        return 0


def connect_file(path: Path, factory: type[sqlite3.Connection] = sqlite3.Connection) -> sqlite3.Connection:
    """Open a file that is there; without the mode the driver itself would make a missing one."""
    address = f"file:{quote(str(path.absolute()))}?mode=rw"
    return sqlite3.connect(address, uri=True, timeout=BUSY_MS / 1000, check_same_thread=False, factory=factory)


class _HeldConnection(sqlite3.Connection):
    """A connection that knows what it holds."""

    held: tuple[int, int] | None = None

    def let_go(self) -> None:
        if self.held is not None:
            let_go(self.held)
            self.held = None


def _held_connection(path: Path) -> sqlite3.Connection:
    held = hold(path)
    try:
        connection = connect_file(path, _HeldConnection)
    except BaseException:
        let_go(held)
        raise
    assert isinstance(connection, _HeldConnection)
    connection.held = held
    return connection


def _set_up(connection: sqlite3.Connection, journal: str) -> None:
    # transactions are begun by hand; the driver's own scheme would begin them too late
    connection.isolation_level = None
    connection.execute(f"PRAGMA journal_mode={journal}")
    connection.execute("PRAGMA synchronous=FULL")
    connection.execute("PRAGMA foreign_keys=ON")


def file_system_of(path: Path) -> str:
    """Return the type of the file system a file lies on, empty if the system does not tell."""
    try:
        lines = Path("/proc/self/mountinfo").read_text(encoding="utf-8", errors="surrogateescape").splitlines()
        device = os.stat(path).st_dev
    except (OSError, ValueError):
        return ""
    wanted = f"{os.major(device)}:{os.minor(device)}"
    for line in lines:
        before, _, after = line.partition(" - ")
        if before.split()[2:3] == [wanted]:
            return after.split()[0]
    return ""


def _check_regular(path: Path) -> None:
    with file_errors_as(LibraryError):
        try:
            check_readable(path)
        except HeldError:
            # as a library it may be opened as often as one likes: the driver knows its own connections
            return


def _unreadable(error: Exception, path: Path) -> LibraryError:
    if "not a database" in str(error):
        return LibraryError("this file is not a library.", where=str(path))
    said = "a page of it is damaged" if isinstance(error, UnicodeDecodeError) else str(error)
    return LibraryError(f"the library cannot be opened ({said}).", where=str(path),
                        hint="Take a copy of it; zesty-abacus library check reads what is left.")  # fmt: skip
