"""What can go wrong with a library.

LibraryError
├── InvalidLayoutError   the layout has problems
├── StaleParentError     somebody changed the layout since the edit began
├── ClashError           and changed the same thing differently
├── AgreementNeededError others agree first
├── RefusedError         the database does not allow this user to do it
│   └── PasswordNeededError
├── UnreachableError     the server does not answer
├── LockedError          somebody holds what is to be changed, for too long
├── UnknownLayoutError   no such layout or revision
├── DamagedEntryError    a row that is there and cannot be read
├── MissingLibraryError  the file is not there
├── NoLibraryError       the database is there and has no library in it
└── NewerLibraryError    made by a later version of the program
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..errors import DataError

if TYPE_CHECKING:
    # shelves raise these errors, and commands that load no layouts know them
    from ..layouts.merge import Merged
    from ..layouts.model import Layout
    from .shelf import Head


class LibraryError(DataError):
    """The library cannot do what was asked."""


class InvalidLayoutError(LibraryError):
    """A layout that has problems is not kept: nobody could decode with it."""


class StaleParentError(LibraryError):
    """The change began from a state that is no longer the newest."""


class ClashError(LibraryError):
    """Two changes of the same thing that only a person can choose between.

    Attributes
    ----------
    merged
        Everything that merges by itself, ours where it clashes, and the clashes.
    theirs
        The newest state and the revision that made it.
    """

    def __init__(self, message: str, *, merged: Merged, theirs: Head[Layout], where: str) -> None:
        super().__init__(message, where=where, hint="Choose what is to hold.")
        self.merged = merged
        self.theirs = theirs


class RefusedError(LibraryError):
    """The database does not allow it."""


class OwnChangeError(RefusedError):
    """Somebody agrees to a change that they made themselves."""


class PasswordNeededError(RefusedError):
    """The server asks for a password, and nobody has said one.

    Attributes
    ----------
    address
        As a trial names the library; empty where nobody has put it in.
    """

    address = ""


class UnreachableError(LibraryError):
    """The server of the library does not answer; what is kept there is safe.

    Attributes
    ----------
    address
        As a trial names the library; empty where nobody has put it in.
    """

    address = ""


class UnknownLayoutError(LibraryError):
    """There is no such layout or revision."""


class LockedError(LibraryError):
    """Somebody else holds what is to be changed, and does not let it go."""


class DamagedEntryError(LibraryError):
    """An entry of the library that cannot be read; the others can."""


class MissingLibraryError(LibraryError):
    """The file of a library is not there.

    Attributes
    ----------
    address
        As a trial names the library; empty where nobody has put it in.
    """

    address = ""


class NoLibraryError(LibraryError):
    """The database has no library in it."""


class NewerLibraryError(LibraryError):
    """The library has tables that this version of the program does not know."""


class AgreementNeededError(LibraryError):
    """The library keeps only changes that others agreed to."""
