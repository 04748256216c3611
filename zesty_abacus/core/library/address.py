"""Where a library is: a file, or a database on a PostgreSQL server.

A password is never part of an address, so that it can stand in a trial file, a log and a process list. The
server's client library takes it from where such things belong: a pass file, or a prompt.

An address is parsed once, into what will be connected to. The client library knows many more ways to say where a
server is (several hosts, ``hostaddr``, service files, the environment); each of them could send a password, or a
library, to another place than the one whose certificate is checked, so none of them is left open.
"""

from __future__ import annotations

import getpass
import ipaddress
import os
from dataclasses import dataclass
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import URL, make_url

from .errors import LibraryError

SCHEMES = ("postgresql", "postgres")
_DRIVER = "postgresql+psycopg"
_VERIFIED = ("verify-full", "verify-ca")
_ALLOWED = ("host", "port", "sslmode", "sslrootcert", "sslcert", "sslkey")
"""Parameters of an address; ``host`` only for the folder of a socket, which has no place before the slash."""
_SOCKETS = ("/var/run/postgresql", "/run/postgresql", "/tmp")
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
    try:
        url = make_url(text)
    except (sa.exc.ArgumentError, ValueError) as error:
        raise LibraryError("this is no address of a library.", hint="Write postgresql://user@host/name.") from error
    if url.drivername not in SCHEMES:
        raise LibraryError(f"{url.drivername[:20]}:// is no address of a library.",
                           hint="Write postgresql://user@host/name, or the path of a file.")  # fmt: skip
    where = f"{url.drivername}://{url.host or ''}/{url.database or ''}"
    _check_parameters(url, where)
    return LibraryAddress(url=_complete(url, where))


def _check_parameters(url: URL, where: str) -> None:
    if url.password is not None or "password" in url.query:
        raise LibraryError(
            "a password does not belong into an address, where anybody can read it.", where=where,
            hint="Put it into the pass file (~/.pgpass), or type it when asked.",
        )  # fmt: skip
    strange = sorted(set(url.query) - set(_ALLOWED))
    if strange:
        raise LibraryError(f"{strange[0][:40]} is no part of an address.", where=where,
                           hint=f"Known are {', '.join(_ALLOWED)}.")  # fmt: skip
    repeated = [name for name, value in url.query.items() if not isinstance(value, str)]
    if repeated:
        raise LibraryError(f"{repeated[0]} is said more than once.", where=where)


def _complete(url: URL, where: str) -> URL:
    """Say everything that would otherwise be filled in from the environment, and how the host is verified."""
    port = _port(url, where)
    host = _host(url, where, port)
    user = url.username or os.environ.get("PGUSER") or getpass.getuser()
    query = {name: str(value) for name, value in url.query.items() if name.startswith("ssl")}
    if not _is_this_host(host):
        asked = query.setdefault("sslmode", _VERIFIED[0])
        if asked not in _VERIFIED:
            raise LibraryError(
                f"sslmode={asked[:20]} would talk to {host} without knowing that it is the one.", where=where,
                hint="Leave sslmode out; the server's certificate is then checked.",
            )  # fmt: skip
    else:
        query.setdefault("sslmode", "prefer")
    # a socket's folder has no place before the slash of an address
    at = {"host": None, "port": None} if host.startswith("/") else {"host": host, "port": port}
    if host.startswith("/"):
        query |= {"host": host, "port": str(port)}
    database = url.database or os.environ.get("PGDATABASE") or user
    return URL.create(_DRIVER, username=user, database=database, query=query, **at)  # type: ignore[arg-type]


def _port(url: URL, where: str) -> int:
    said = url.port or url.query.get("port") or os.environ.get("PGPORT") or _USUAL_PORT
    try:
        port = int(str(said))
    except ValueError:
        port = 0
    if not 0 < port < 1 << 16:
        raise LibraryError(f"port={str(said)[:20]!r}, expected a number up to 65535.", where=where)
    return port


def _host(url: URL, where: str, port: int) -> str:
    if url.host and "host" in url.query:
        raise LibraryError("two hosts are named.", where=where, hint="Name one, before the slash.")
    host = url.host or str(url.query.get("host") or os.environ.get("PGHOST") or "")
    if "," in host or host.startswith("@"):
        raise LibraryError("more than one host is named.", where=where, hint="Name one.")
    if not host:
        there = (folder for folder in _SOCKETS if Path(f"{folder}/.s.PGSQL.{port}").exists())
        return next(there, _SOCKETS[0])
    return host


def _is_this_host(host: str) -> bool:
    if host.startswith("/") or host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False
