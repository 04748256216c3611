"""What can go wrong with a library.

LibraryError
├── StaleParentError     somebody changed the layout since the edit began
├── UnknownLayoutError   no such layout or revision
└── NewerLibraryError    made by a later version of the program
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import sqlalchemy.exc

from ..errors import DataError


class LibraryError(DataError):
    """The library cannot do what was asked."""


class StaleParentError(LibraryError):
    """The change began from a state that is no longer the newest."""


class UnknownLayoutError(LibraryError):
    """There is no such layout or revision."""


class NewerLibraryError(LibraryError):
    """The library has tables that this version of the program does not know."""


@contextmanager
def mapped_errors(where: str) -> Iterator[None]:
    """Turn errors of the database driver into a :class:`LibraryError` that keeps the cause."""
    try:
        yield
    except sqlalchemy.exc.SQLAlchemyError as error:
        cause = getattr(error, "orig", None) or error
        raise LibraryError(f"the library cannot be used ({cause}).", where=where) from error
