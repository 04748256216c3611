"""Where a library is: a file, or a database on a PostgreSQL server.

A password is never part of an address, so that it can stand in a trial file, a log and a process list. The
server's client library takes it from where such things belong: a service file, a pass file, or a prompt.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import URL, make_url

from .errors import LibraryError

SCHEMES = ("postgresql", "postgres")
_DRIVER = "postgresql+psycopg"
_VERIFIED = "verify-full"


@dataclass(frozen=True, slots=True)
class LibraryAddress:
    """An address that was checked.

    Attributes
    ----------
    path
        Of a file; None for a server.
    url
        Of a server, with its driver and how its certificate is checked; None for a file.
    """

    path: Path | None = None
    url: URL | None = None

    def __str__(self) -> str:
        """Return the address as it may be shown: a file's path, or host and database."""
        if self.url is None:
            return str(self.path)
        host = self.url.host or "this host"
        port = f":{self.url.port}" if self.url.port else ""
        return f"{self.url.database or 'library'} on {host}{port}"

    def exists(self) -> bool:
        """Whether the file is there; of a server only opening can tell, so it is taken to be."""
        return self.path is None or self.path.exists()

    @property
    def name(self) -> str:
        """A name for a library that was given none."""
        return self.path.stem if self.path is not None else str(self.url.database or "library")  # type: ignore[union-attr]


def library_address(text: str | Path | LibraryAddress) -> LibraryAddress:
    """Return the address that a text is.

    Raises
    ------
    LibraryError
        If the text is a server's address with a password in it, with an unencrypted way to another host, or
        with something that is no option of a connection.
    """
    if isinstance(text, LibraryAddress):
        return text
    if isinstance(text, Path) or "://" not in text:
        return LibraryAddress(path=Path(text))
    try:
        url = make_url(text)
    except (sa.exc.ArgumentError, ValueError) as error:
        raise LibraryError("this is no address of a library.", hint="Write postgresql://user@host/name.") from error
    if url.drivername not in SCHEMES:
        raise LibraryError(f"{url.drivername}:// is no address of a library.",
                           hint="Write postgresql://user@host/name, or the path of a file.")  # fmt: skip
    if url.password is not None or "password" in url.query:
        raise LibraryError(
            "a password does not belong into an address, where anybody can read it.", where=_without_secrets(url),
            hint="Put it into the pass file (~/.pgpass), or use a service file.",
        )  # fmt: skip
    return LibraryAddress(url=_with_verified_host(url).set(drivername=_DRIVER))


def _without_secrets(url: URL) -> str:
    return f"{url.drivername}://{url.host or ''}/{url.database or ''}"


def _with_verified_host(url: URL) -> URL:
    """Ask for a checked certificate unless the server is this host; refuse an address that asks for less."""
    host = url.host or str(url.query.get("host") or "")
    asked = url.query.get("sslmode")
    if _is_this_host(host) or "service" in url.query:
        return url
    if asked is not None and asked not in (_VERIFIED, "verify-ca"):
        raise LibraryError(
            f"sslmode={asked} would talk to {host} without knowing that it is the one.", where=_without_secrets(url),
            hint="Leave sslmode out; the server's certificate is then checked.",
        )  # fmt: skip
    return url.update_query_dict({"sslmode": asked or _VERIFIED})


def _is_this_host(host: str) -> bool:
    if not host or host.startswith("/") or host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False
