"""A PostgreSQL server of the tests' own: a private cluster in a temporary folder, also when run as root."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from pathlib import Path

import psycopg

_PLACES = ("/usr/lib/postgresql/*/bin", "/usr/local/pgsql/bin", "/usr/pgsql-*/bin")
PATIENCE_S = 30


def binary(name: str) -> str:
    """Return the newest server program of a name."""
    found = [path for place in _PLACES for path in sorted(Path("/").glob(f"{place[1:]}/{name}"), reverse=True)]
    if found:
        return str(found[0])
    inside = shutil.which(name)
    assert inside is not None, f"{name} is missing: install the package postgresql"
    return inside


class Cluster:
    """A server on a socket and on a port of this host; passwords are asked for on the port only.

    Attributes
    ----------
    folder
        Data, socket and log.
    port
    """

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="zesty-cluster-"))
        self._as = pwd.getpwnam("postgres") if os.geteuid() == 0 else None
        if self._as is not None:
            os.chown(self.folder, self._as.pw_uid, self._as.pw_gid)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self._number = 0
        self._run("initdb", "-D", str(self.folder / "data"), "-U", "keeper", "-E", "UTF8", "--no-locale", "-N",
                  "--auth-local=trust", "--auth-host=scram-sha-256")  # fmt: skip
        self.process: subprocess.Popen | None = None
        self.start()

    def _identity(self) -> dict:
        return {} if self._as is None else {"user": self._as.pw_uid, "group": self._as.pw_gid, "extra_groups": []}

    def _run(self, name: str, *arguments: str) -> None:
        done = subprocess.run(
            [binary(name), *arguments], capture_output=True, text=True, cwd=self.folder, check=False, **self._identity()
        )
        assert done.returncode == 0, done.stderr

    def start(self) -> None:
        """Start the server and wait until it answers."""
        options = {
            "listen_addresses": "127.0.0.1", "port": self.port, "unix_socket_directories": self.folder,
            "shared_buffers": "16MB", "max_connections": 120, "log_min_messages": "fatal",
        }  # fmt: skip
        given = [part for name, value in options.items() for part in ("-c", f"{name}={value}")]
        self.process = subprocess.Popen(
            [binary("postgres"), "-D", str(self.folder / "data"), *given], cwd=self.folder,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **self._identity(),
        )  # fmt: skip
        end = time.monotonic() + PATIENCE_S
        while True:
            try:
                psycopg.connect(self.address("postgres")).close()
                return
            except psycopg.OperationalError:
                assert time.monotonic() < end, "the server does not start"
                time.sleep(0.05)

    def stop(self, how: signal.Signals = signal.SIGINT) -> None:
        """Stop the server: SIGINT ends sessions and writes what is due, SIGQUIT drops everything."""
        assert self.process is not None
        self.process.send_signal(how)
        self.process.wait(PATIENCE_S)

    def close(self) -> None:
        """Stop the server for good and take its folder away."""
        if self.process is not None and self.process.poll() is None:
            self.stop(signal.SIGQUIT)
        shutil.rmtree(self.folder, ignore_errors=True)

    def address(self, database: str, user: str = "keeper") -> str:
        """Return the address of a database by the socket, where nobody is asked for a password."""
        return f"postgresql://{user}@/{database}?host={self.folder}&port={self.port}"

    def by_port(self, database: str, user: str) -> str:
        """Return the address of a database by the port, where a password is asked for."""
        return f"postgresql://{user}@127.0.0.1:{self.port}/{database}"

    def new_database(self) -> str:
        """Make an empty database and return its name."""
        self._number += 1
        name = f"library_{self._number}"
        self.execute("postgres", f"CREATE DATABASE {name}")
        return name

    def execute(self, database: str, statement: str, user: str = "keeper") -> list[tuple]:
        """Run one statement by hand."""
        with psycopg.connect(self.address(database, user), autocommit=True) as connection:
            cursor = connection.execute(statement)
            return cursor.fetchall() if cursor.description else []
