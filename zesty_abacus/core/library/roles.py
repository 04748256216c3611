"""Roles of a library on a server: the server itself refuses what a role may not do.

========  ==================================================================================
reader    looks at everything but drafts
writer    besides, keeps changes, drafts and comments, proposes, and agrees; history stays as it is
keeper    besides, makes releases and the rules of agreement
========  ==================================================================================

The database's owner migrates and makes roles. Logins are made by whoever keeps the server, and are granted
one of the roles: ``GRANT zesty_writer TO mara``.
"""

from __future__ import annotations

from collections.abc import Iterator

import sqlalchemy as sa

from .errors import LibraryError, mapped_errors
from .store import Library

PREFIX = "zesty_"
ROLES = ("reader", "writer", "keeper")
_LOOKED_AT = (
    "library_info", "revision", "head", "head_field", "recipe_revision", "recipe_head", "release", "release_item",
    "rule", "proposal_event", "document_revision", "document_head", "presence", "alembic_version",
)  # fmt: skip
_APPENDED = {
    "writer": ("revision", "recipe_revision", "document_revision", "proposal_event"),
    "keeper": ("release", "release_item", "rule"),
}
_FREE = {"writer": ("head", "head_field", "recipe_head", "document_head", "draft"), "reader": ("presence",)}
"""What may be written anew: indexes of the newest states, one's own drafts, one's own presence."""
_NUMBERED = {
    "writer": ("revision", "recipe_revision", "document_revision", "proposal_event"), "keeper": ("release", "rule"),
}  # fmt: skip


def role_statements(schema: str = "public") -> Iterator[str]:
    """Yield the statements that make the roles and their grants; making them again changes nothing."""
    for role in ROLES:
        name = f"{PREFIX}{role}"
        yield (
            f"DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = '{name}') "
            f"THEN CREATE ROLE {name} NOLOGIN; END IF; END $$"
        )
    yield f"GRANT {PREFIX}reader TO {PREFIX}writer"
    yield f"GRANT {PREFIX}writer TO {PREFIX}keeper"
    yield f"REVOKE ALL ON ALL TABLES IN SCHEMA {schema} FROM PUBLIC"
    yield f"GRANT USAGE ON SCHEMA {schema} TO {PREFIX}reader"
    yield f"GRANT SELECT ON {', '.join(_LOOKED_AT)} TO {PREFIX}reader"
    for role, tables in _APPENDED.items():
        yield f"GRANT INSERT ON {', '.join(tables)} TO {PREFIX}{role}"
    for role, tables in _FREE.items():
        yield f"GRANT SELECT, INSERT, UPDATE, DELETE ON {', '.join(tables)} TO {PREFIX}{role}"
    for role, tables in _NUMBERED.items():
        yield f"GRANT USAGE ON SEQUENCE {', '.join(f'{table}_id_seq' for table in tables)} TO {PREFIX}{role}"


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
            connection.execute(sa.text(statement))
