"""Where a library is: a file, or a database on a PostgreSQL server.

A password is never part of an address, so that it can stand in a trial file, a log and a process list. The
server's client library takes it from where such things belong: a pass file, or a prompt.

An address is parsed once, into what will be connected to. The client library knows many more ways to say where a
server is (several hosts, ``hostaddr``, service files, the environment); each of them could send a password, or a
library, to another place than the one whose certificate is checked, so none of them is left open.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from .errors import LibraryError

if TYPE_CHECKING:
    from sqlalchemy.engine import URL

_USUAL_PORT = 5432


@dataclass(frozen=True, slots=True)
class LibraryAddress:
    """An address that was checked.

    Attributes
    ----------
    path
        Of a file; None for a server.
    url
        Of a server, with driver, user, host, port, database and how its certificate is checked, all said; None for a
        file.
    """

    path: Path | None = None
    url: URL | None = None

    def __str__(self) -> str:
        """Return the address as it may be shown: a file's path, or host and database."""
        if self.url is None:
            return str(self.path)
        host = self.url.host or "this host"
        port = f":{self.url.port}" if self.url.port not in (None, _USUAL_PORT) else ""
        return f"{self.url.database or 'library'} on {host}{port}"

    def exists(self) -> bool:
        """Whether the file is there; of a server only opening can tell, so it is taken to be."""
        return self.path is None or os.path.lexists(self.path)

    @property
    def name(self) -> str:
        """A name for a library that was given none."""
        return self.path.stem if self.path is not None else str(self.url.database or "library")  # type: ignore[union-attr]

    @property
    def login(self) -> str:
        """Who logs in where, whatever database: what a password belongs to.

        Raises
        ------
        AssertionError
            For a file, which has no logins.
        """
        assert self.url is not None, "a file has no password"
        host = self.url.host or str(self.url.query["host"])
        return f"{self.url.username}@{host}:{self.url.port or self.url.query.get('port')}"

    @property
    def identity(self) -> str:
        """What tells one library of one person from any other: login, host, port and database, or the file itself."""
        if self.url is None:
            return os.path.realpath(str(self.path))
        return f"{self.login}/{self.url.database}"

    @property
    def connect_options(self) -> dict[str, str]:
        """What is said to the client library besides, so that nothing from the environment takes its place."""
        encryption = {"gssencmode": "disable"} if self.url is not None and "sslmode" in self.url.query else {}
        return {"hostaddr": "", **encryption}


def library_address(text: str | Path | LibraryAddress) -> LibraryAddress:
    """Return the address that a text is.

    Raises
    ------
    LibraryError
        If the text is a server's address with a password in it, with an unencrypted way to another host, with more
        than one host, or with a parameter that could lead elsewhere. No part of what may be a password is repeated.
    """
    if isinstance(text, LibraryAddress):
        return text
    if isinstance(text, Path) or "://" not in text:
        if "\0" in str(text):
            raise LibraryError("the name of a library holds what no name may hold.", where=repr(str(text)))
        return LibraryAddress(path=Path(text))
    # the database packages take half a second to load, and what lies in a file needs none of them
    from .server_address import server_url

    return LibraryAddress(url=server_url(text))
