"""A PostgreSQL server of the tests' own: a private cluster in a temporary folder, also when run as root."""

from __future__ import annotations

import shutil
import signal
import tempfile
from pathlib import Path

from zesty_abacus.core.library.local_server import LocalServer


class Cluster(LocalServer):
    """A server on a socket and on a port of this host; passwords are asked for on the port only."""

    def __init__(self) -> None:
        super().__init__(
            Path(tempfile.mkdtemp(prefix="zesty-cluster-")), settings={"shared_buffers": "16MB", "max_connections": 120}
        )
        self._number = 0
        self.make()
        self.start()

    def close(self) -> None:
        """Stop the server for good and take its folder away."""
        self.stop(signal.SIGQUIT)
        shutil.rmtree(self.folder, ignore_errors=True)

    def new_database(self) -> str:
        """Make an empty database and return its name."""
        self._number += 1
        name = f"library_{self._number}"
        self.execute("postgres", f"CREATE DATABASE {name}")
        return name
