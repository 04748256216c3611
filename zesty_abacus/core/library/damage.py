"""Entries of a library that cannot be read: each is told and hides no other.

A newer program, a hand in the database or a broken disk may have written them. They stay as they are.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

from .errors import DamagedEntryError

_LISTED = 200


class Damage:
    """What was met of such entries while a library was read; may be used from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._sentences: dict[str, None] = {}

    @property
    def sentences(self) -> tuple[str, ...]:
        """One for each entry, in the order they were met."""
        with self._lock:
            return tuple(self._sentences)

    @contextmanager
    def noting(self) -> Iterator[None]:
        """Note a :class:`DamagedEntryError` of the block, and go on behind it."""
        try:
            yield
        except DamagedEntryError as error:
            with self._lock:
                if len(self._sentences) < _LISTED:
                    self._sentences.setdefault(str(error))


def uuid_of(text: object, where: str) -> UUID:
    """Return the identity that a column holds; raises :class:`DamagedEntryError` if it holds none."""
    try:
        return UUID(str(text))
    except ValueError as error:
        raise DamagedEntryError(f"{str(text)[:60]!r} is no identity.", where=where) from error
