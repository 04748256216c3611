"""Passwords of servers: asked for, or kept by the desktop's keyring; never in a file of ours, an address or a log.

The server's client library looks into the pass file and ``PGPASSWORD`` by itself, before any of this.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from typing import Any

from .address import LibraryAddress

_SERVICE = "zesty-abacus"
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
    keyring = _keyring()
    try:
        keyring.set_password(_SERVICE, _entry(address), password)
    except keyring.errors.KeyringError:
        return False
    return True


def forget_password(address: LibraryAddress) -> bool:
    """Forget a password that was typed, and take it out of the keyring; return whether none is known any more."""
    _typed.pop(_entry(address), None)
    keyring = _keyring()
    # one that has none to delete says so in the same way as one that does not want to
    with contextlib.suppress(keyring.errors.KeyringError):
        keyring.delete_password(_SERVICE, _entry(address))
    return not has_password(address)


def has_password(address: LibraryAddress) -> bool:
    """Return whether a password of a server was typed, or is in the keyring, which may take its time to say."""
    return any(True for _ in known_passwords(address))


def known_passwords(address: LibraryAddress) -> Iterator[str]:
    """Yield what may be the password of a server: what was typed, then what the keyring has."""
    entry = _entry(address)
    if entry in _typed:
        yield _typed[entry]
    keyring = _keyring()
    with contextlib.suppress(keyring.errors.KeyringError):
        kept = keyring.get_password(_SERVICE, entry)
        if kept is not None:
            yield kept


def _keyring() -> Any:
    # loaded when a server asks for a password: most libraries are files, and it takes a while
    import keyring
    import keyring.errors

    return keyring


def _entry(address: LibraryAddress) -> str:
    """Return what the password belongs to: a login on a server, whatever database."""
    return address.login
