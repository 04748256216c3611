"""A PostgreSQL server of one's own, in a folder: for a bench without a server, to try a team's library, for tests.

It answers on a socket in its folder, which only the folder's owner may enter, and asks nobody there for a password.
On a port of this host, where anybody on the machine could knock, it asks for one. No other host reaches it.
"""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import psycopg

from .errors import LibraryError

OWNER = "keeper"
"""The login that owns everything on such a server."""
_PLACES = ("usr/lib/postgresql/*/bin", "usr/local/pgsql/bin", "usr/pgsql-*/bin")
_PATIENCE_S = 30


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
        """Start the server and wait until it answers; raises :class:`LibraryError` if it does not."""
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
        end = time.monotonic() + _PATIENCE_S
        while True:
            try:
                psycopg.connect(self.address("postgres")).close()
                return
            except psycopg.OperationalError as error:
                if self.process.poll() is not None or time.monotonic() > end:
                    raise LibraryError("the server does not start.", where=str(self.folder),
                                       hint="Its file log says why.") from error  # fmt: skip
                time.sleep(0.05)

    def stop(self, how: signal.Signals = signal.SIGINT) -> None:
        """Stop the server: SIGINT ends sessions and writes what is due, SIGQUIT drops everything."""
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(how)
            self.process.wait(_PATIENCE_S)
        self.process = None

    def address(self, database: str, user: str = OWNER) -> str:
        """Return the address of a database by the socket, where nobody is asked for a password."""
        return f"postgresql://{user}@/{database}?host={self.folder}&port={self.port}"

    def by_port(self, database: str, user: str) -> str:
        """Return the address of a database by the port, where a password is asked for."""
        return f"postgresql://{user}@127.0.0.1:{self.port}/{database}"

    def execute(self, database: str, statement: str, user: str = OWNER) -> list[tuple[object, ...]]:
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


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
