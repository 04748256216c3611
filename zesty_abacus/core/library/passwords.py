"""Passwords of servers: asked for, or kept by the desktop's keyring; never in a file of ours, an address or a log.

The server's client library looks into the pass file and ``PGPASSWORD`` by itself, before any of this.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Protocol, TypeVar

from .address import LibraryAddress

_SERVICE = "zesty-abacus"
_Answer = TypeVar("_Answer")


class _Ring(Protocol):
    """What is asked of a keyring."""

    def get_password(self, service: str, entry: str) -> str | None: ...

    def set_password(self, service: str, entry: str, password: str) -> None: ...

    def delete_password(self, service: str, entry: str) -> None: ...


_typed: dict[str, str] = {}
"""What was typed since the program began; gone with it."""


def type_password(address: LibraryAddress, password: str, *, keep: bool = False) -> bool:
    """Use a password for a server as long as the program runs.

    Parameters
    ----------
    keep
        Put it into the keyring of the desktop, too.

    Returns
    -------
    bool
        Whether it is in the keyring; there may be none on this machine.
    """
    _typed[_entry(address)] = password
    if not keep:
        return False

    def put(ring: _Ring) -> bool:
        ring.set_password(_SERVICE, _entry(address), password)
        return True

    return _asked(put, False)


def forget_password(address: LibraryAddress) -> None:
    """Forget a password that was typed, and take it out of the keyring."""
    _typed.pop(_entry(address), None)
    _asked(lambda ring: ring.delete_password(_SERVICE, _entry(address)), None)


def known_passwords(address: LibraryAddress) -> Iterator[str]:
    """Yield what may be the password of a server: what was typed, then what the keyring has."""
    entry = _entry(address)
    if entry in _typed:
        yield _typed[entry]
    kept = _asked(lambda ring: ring.get_password(_SERVICE, entry), None)
    if kept is not None:
        yield kept


def _asked(ask: Callable[[_Ring], _Answer], otherwise: _Answer) -> _Answer:
    """Ask the keyring of the desktop; where there is none, or it does not want to, the answer is another."""
    # only when a server asks for a password: most libraries are files, and loading it takes a while
    import keyring
    import keyring.errors

    try:
        return ask(keyring.get_keyring())
    except keyring.errors.KeyringError:
        return otherwise


def _entry(address: LibraryAddress) -> str:
    """Return what the password belongs to: a login on a server, whatever database."""
    return address.login
