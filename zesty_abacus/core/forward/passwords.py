"""Passwords of other programs: from the environment or the keyring; never in an address, a file of ours or a log."""

from __future__ import annotations

import os

from .way import ForwardAddress

VARIABLE = "ZESTY_ABACUS_PASSWORD"
_SERVICE = "zesty-abacus"


def with_password(address: ForwardAddress) -> ForwardAddress:
    """Return an address with the password of its user; without one if there is no user, or nothing knows it."""
    if address.user is None:
        return address
    if VARIABLE in os.environ:
        return ForwardAddress(address.url, address.parts, os.environ[VARIABLE])
    import keyring  # asks the desktop, which takes its time
    import keyring.errors

    try:
        kept = keyring.get_password(_SERVICE, f"{address.parts.scheme}://{address.user}@{address.host}")
    except keyring.errors.KeyringError:
        kept = None
    return ForwardAddress(address.url, address.parts, kept)
