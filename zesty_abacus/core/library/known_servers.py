"""Servers that this user has named or agreed to, so that a trial of somebody else leads nowhere unasked."""

from __future__ import annotations

from pathlib import Path

import msgspec

from ..files.errors import FileError
from ..files.reading import read_file
from ..files.writing import keep_file
from .address import LibraryAddress
from .errors import LibraryError

_MOST_BYTES = 1 << 20
_KEPT = 500


class StrangeServerError(LibraryError):
    """A trial names a server that this user has not used yet.

    Attributes
    ----------
    address
        As the trial names it.
    """

    address = ""


class KnownServers:
    """Remembered addresses; a missing or damaged file remembers none.

    Parameters
    ----------
    path
        Of the file they are kept in.
    """

    def __init__(self, path: Path) -> None:
        self._path = path

    def knows(self, address: LibraryAddress) -> bool:
        """Return whether an address may be connected to without asking: a file, or a server used before."""
        return address.url is None or address.identity in self._read()

    def add(self, address: LibraryAddress) -> None:
        """Remember an address that the user has named or agreed to; where nothing can be kept it is asked again."""
        if self.knows(address):
            return
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            keep_file(self._path, msgspec.json.encode([address.identity, *self._read()][:_KEPT]))
        except (OSError, FileError):
            return

    def check(self, address: LibraryAddress, named: str) -> None:
        """Raise :class:`StrangeServerError` if a trial names a server that must be asked about."""
        if not self.knows(address):
            error = StrangeServerError(
                f"this trial uses a library on a server that you have not used yet: {address.identity}.",
                hint="Name its address yourself if you want to connect to it.",
            )
            error.address = named
            raise error

    def _read(self) -> list[str]:
        try:
            return msgspec.json.decode(read_file(self._path, _MOST_BYTES), type=list[str])
        except (FileError, msgspec.DecodeError, UnicodeDecodeError):
            return []
