"""Reads the address of a server into all that is needed to connect to it, and to nobody else."""

from __future__ import annotations

import getpass
import ipaddress
import os
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


def server_url(text: str) -> URL:
    """Return an address with driver, user, host, port, database and how its certificate is checked, all said.

    Raises
    ------
    LibraryError
        As :func:`zesty_abacus.core.library.address.library_address`.
    """
    try:
        url = make_url(text)
    except (sa.exc.ArgumentError, ValueError) as error:
        raise LibraryError("this is no address of a library.", hint="Write postgresql://user@host/name.") from error
    if url.drivername not in SCHEMES:
        raise LibraryError(f"{url.drivername[:20]}:// is no address of a library.",
                           hint="Write postgresql://user@host/name, or the path of a file.")  # fmt: skip
    where = f"{url.drivername}://{url.host or ''}/{url.database or ''}"
    _check_parameters(url, where)
    return _complete(url, where)


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
