"""A PostgreSQL server of one's own, in a folder: for a bench without a server, to try a team's library, for tests.

It answers on a socket in its folder, which only the folder's owner may enter, and asks nobody there for a password.
On a port of this host, where anybody on the machine could knock, it asks for one. No other host reaches it.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import pwd
import re
import secrets
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any
from urllib.parse import quote

import psycopg
from psycopg import sql
from psycopg.pq import PGconn, Ping

from .errors import LibraryError

OWNER = "keeper"
"""The login that owns everything on such a server."""
_PLACES = ("usr/lib/postgresql/*/bin", "usr/local/pgsql/bin", "usr/pgsql-*/bin")
_PATIENCE_S = 30
_RECOVERY_S = 600
"""How long one that says that it starts is waited for: after a crash it writes all of its data to the disk first."""
_ADOPTED_PATIENCE_S = 10


def server_program(name: str) -> str:
    """Return the newest server program of a name on this machine; raises :class:`LibraryError` if there is none."""
    found = [path for place in _PLACES for path in sorted(Path("/").glob(f"{place}/{name}"), reverse=True)]
    inside = str(found[0]) if found else shutil.which(name)
    if inside is None:
        raise LibraryError(f"{name} is not on this machine.", hint="Install the package postgresql, 15 or newer.")
    return inside


class LocalServer:
    """A server with its data in a folder.

    Parameters
    ----------
    folder
        Holds data and socket; made if it is not there. The path of a socket is short: 90 letters at most.
    port
        Of the loopback interface; 0 takes a free one.
    settings
        Of the server, besides those needed here.

    Attributes
    ----------
    process
        Of the running server, None when it is stopped.
    """

    def __init__(self, folder: Path, port: int = 0, settings: Mapping[str, object] | None = None) -> None:
        self.folder = folder.resolve()
        self.port = port or _free_port()
        self.process: subprocess.Popen[bytes] | None = None
        self._settings = dict(settings or {})
        self._adopted: int | None = None
        self._claimed: int | None = None
        # the server refuses to be run by root
        self._as = pwd.getpwnam("postgres") if os.geteuid() == 0 else None

    def make(self) -> None:
        """Make the folder and its data unless they are there.

        Raises
        ------
        LibraryError
            If the server's programs are missing, or the folder cannot be used.
        """
        if (self.folder / "data" / "PG_VERSION").exists():
            return
        try:
            self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            if self._as is not None:
                os.chown(self.folder, self._as.pw_uid, self._as.pw_gid)
        except OSError as error:
            raise LibraryError(f"the folder cannot be used ({error.strerror}).", where=str(self.folder)) from error
        done = subprocess.run(
            [server_program("initdb"), "-D", str(self.folder / "data"), "-U", OWNER, "-E", "UTF8", "--no-locale",
             "--auth-local=trust", "--auth-host=scram-sha-256"],
            capture_output=True, text=True, cwd=self.folder, check=False, **self._identity(),
        )  # fmt: skip
        if done.returncode:
            said = done.stderr.strip().splitlines()
            raise LibraryError(f"no server can be made ({said[-1] if said else 'initdb'}).", where=str(self.folder))

    def start(self) -> None:
        """Start the server and wait until it answers.

        One that its program left running, because it was killed, is taken over; one that does not answer any more is
        stopped first.

        Raises
        ------
        LibraryError
            If it does not answer, or another program serves this folder.
        """
        self._claim()
        try:
            if not self._take_over():
                self._launch()
        except BaseException:
            self._let_go()
            raise

    @property
    def is_running(self) -> bool:
        """Whether the server is there, started or taken over."""
        if self._adopted is not None:
            return _is_alive(self._adopted)
        return self.process is not None and self.process.poll() is None

    def _claim(self) -> None:
        # of two programs that serve one folder the second would stop the server under the first
        claim = os.open(self.folder / "serving", os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(claim, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            os.close(claim)
            raise LibraryError("another program serves this folder already.", where=str(self.folder),
                               hint="Use the address that it told, or end it first.") from error  # fmt: skip
        self._let_go()
        self._claimed = claim

    def _let_go(self) -> None:
        if self._claimed is not None:
            os.close(self._claimed)
            self._claimed = None

    def _take_over(self) -> bool:
        """Take a server over that runs on this data already; return whether there was one that answers."""
        left = _left_running(self.folder / "data")
        if left is None:
            return False
        process, port = left
        wanted, self.port = self.port, port
        if self._answers(_ADOPTED_PATIENCE_S, lambda: _is_alive(process)):
            self._adopted = process
            return True
        self.port = wanted
        _end(process, signal.SIGINT)
        return False

    def _answers(self, seconds: float, is_there: Callable[[], bool]) -> bool:
        """Return whether the server lets somebody in, within so many seconds in which it says nothing."""
        began = heard = time.monotonic()
        # one that stands still answers neither; both give up
        address = f"{self.address('postgres')}&connect_timeout=5"
        while True:
            try:
                psycopg.connect(address).close()
                return True
            except psycopg.OperationalError:
                now = time.monotonic()
                if PGconn.ping(address.encode()) == Ping.REJECT and now < began + _RECOVERY_S:
                    heard = now
                if not is_there() or now > heard + seconds:
                    return False
                time.sleep(0.05)

    def _launch(self) -> None:
        options = {
            "listen_addresses": "127.0.0.1", "port": self.port, "unix_socket_directories": self.folder,
            "log_min_messages": "fatal", **self._settings,
        }  # fmt: skip
        given = [part for name, value in options.items() for part in ("-c", f"{name}={value}")]
        with (self.folder / "log").open("ab") as log:
            self.process = subprocess.Popen(
                [server_program("postgres"), "-D", str(self.folder / "data"), *given], cwd=self.folder,
                stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, **self._identity(),
            )  # fmt: skip
        started = self.process
        if not self._answers(_PATIENCE_S, lambda: started.poll() is None):
            raise LibraryError("the server does not start.", where=str(self.folder), hint=self._last_words())

    def _last_words(self) -> str:
        """Return what the server said last in its log, or where that is."""
        try:
            lines = (self.folder / "log").read_text(encoding="utf-8", errors="replace")[-4000:].strip().splitlines()
        except OSError:
            lines = []
        return f"It says: {lines[-1][:200]}" if lines else "Its file log says why."

    def stop(self, how: signal.Signals = signal.SIGINT) -> None:
        """Stop the server: SIGINT ends sessions and writes what is due, SIGQUIT drops everything."""
        if self._adopted is not None:
            _end(self._adopted, how)
            self._adopted = None
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(how)
            self.process.wait(_PATIENCE_S)
        self.process = None
        self._let_go()

    def address(self, database: str, user: str = OWNER) -> str:
        """Return the address of a database by the socket, where nobody is asked for a password."""
        return f"postgresql://{user}@/{database}?host={self.folder}&port={self.port}"

    def by_port(self, database: str, user: str) -> str:
        """Return the address of a database by the port, where a password is asked for."""
        return f"postgresql://{quote(user, safe='')}@127.0.0.1:{self.port}/{database}"

    def make_login(self, name: str, role: str) -> str:
        """Make a login with the rights of a role; return its password, which nobody can ask for again.

        Empty if there is such a login already: it keeps its password and its rights.

        Raises
        ------
        LibraryError
            If nobody can be called like this.
        """
        if not re.fullmatch(r"[\w.-]{1,40}", name) or name in (OWNER, "postgres") or name.startswith(("pg_", "zesty_")):
            raise LibraryError(
                f"{name[:60]!r} is no name for a login.", hint="Letters, digits, dots and dashes, up to 40."
            )
        known = self.execute("postgres", sql.SQL("SELECT 1 FROM pg_roles WHERE rolname = {}").format(sql.Literal(name)))
        if known:
            return ""
        password = secrets.token_urlsafe(12)
        self.execute("postgres", sql.SQL("CREATE ROLE {} LOGIN PASSWORD {} IN ROLE {}").format(
            sql.Identifier(name), sql.Literal(password), sql.Identifier(role)
        ))  # fmt: skip
        return password

    def execute(self, database: str, statement: str | sql.Composed, user: str = OWNER) -> list[tuple[object, ...]]:
        """Run one statement by hand."""
        with psycopg.connect(self.address(database, user), autocommit=True) as connection:
            cursor = connection.execute(statement)  # type: ignore[call-overload]
            return cursor.fetchall() if cursor.description else []

    def has_database(self, name: str) -> bool:
        """Return whether there is a database of a name."""
        with psycopg.connect(self.address("postgres")) as connection:
            return connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (name,)).fetchone() is not None

    def _identity(self) -> dict[str, Any]:
        if self._as is None:
            return {}
        return {"user": self._as.pw_uid, "group": self._as.pw_gid, "extra_groups": []}


def _left_running(data: Path) -> tuple[int, int] | None:
    """Return process and port of a server that runs on some data, None if there is none.

    The file it leaves, ``postmaster.pid``, has its process in the first line, its data in the second, its port in the
    fourth (PostgreSQL documentation, "Database File Layout").
    """
    try:
        lines = (data / "postmaster.pid").read_text(encoding="utf-8", errors="replace").splitlines()
        process, port = int(lines[0]), int(lines[3])
        # the number may be another program's by now
        command = Path(f"/proc/{process}/cmdline").read_bytes().split(b"\0")
    except (OSError, ValueError, IndexError):
        return None
    return (process, port) if str(data).encode() in command else None


def _is_alive(process: int) -> bool:
    try:
        state = (
            Path(f"/proc/{process}/stat").read_text(encoding="utf-8", errors="replace").rpartition(")")[2].split()[0]
        )
    except (OSError, IndexError):
        return False
    return state != "Z"


def _end(process: int, how: signal.Signals) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.kill(process, how)
    end = time.monotonic() + _PATIENCE_S
    while _is_alive(process) and time.monotonic() < end:
        time.sleep(0.05)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
