"""Makes the roles of a library on a server; what they may do stands in :mod:`.rights`."""

from __future__ import annotations

from .driver_errors import mapped_errors
from .errors import LibraryError
from .rights import ROLES, role_statements
from .store import Library

__all__ = ["ROLES", "make_roles", "role_statements"]


def make_roles(library: Library) -> None:
    """Make the roles in the database of a library.

    Raises
    ------
    LibraryError
        If the library is a file, which has no roles but those of the file system, or if the server does not
        allow it.
    """
    if library.address.url is None:
        raise LibraryError("a file has no roles; the file system says who may write it.", where=str(library.address))
    with mapped_errors(str(library.address)), library.engine.begin() as connection:
        for statement in role_statements():
            connection.exec_driver_sql(statement.replace("%", "%%"))
