"""A keyring in memory, in the place of the desktop's."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import keyring
import keyring.backend
import keyring.errors


class Ring(keyring.backend.KeyringBackend):
    """A keyring in memory, in the place of the desktop's."""

    priority = 1

    def __init__(self):
        super().__init__()
        self.kept = {}

    def get_password(self, service, username):
        return self.kept.get((service, username))

    def set_password(self, service, username, password):
        self.kept[service, username] = password

    def delete_password(self, service, username):
        if self.kept.pop((service, username), None) is None:
            raise keyring.errors.PasswordDeleteError


@contextmanager
def ring_in_memory() -> Iterator[Ring]:
    """Put it in place for a while."""
    before = keyring.get_keyring()
    made = Ring()
    keyring.set_keyring(made)
    try:
        yield made
    finally:
        keyring.set_keyring(before)
