"""Roles of a library on a server: the server itself refuses what a role may not do.

========  ==================================================================================
reader    looks at everything but drafts, and says that it is there
writer    besides, keeps changes, drafts and comments, proposes, and agrees; history stays as it is
keeper    besides, makes releases and the rules of agreement
========  ==================================================================================

No role writes a table. What it may do are functions of the database, which look at who asks, in what order, and for
what; they belong to ``zesty_guard``, a role nobody logs in as. So no role can lock a table for long, choose a number
or a time, or write a row that no function would write.

The database's owner migrates and makes roles. Logins are made by whoever keeps the server, and are granted
one of the roles: ``GRANT zesty_writer TO mara``.
"""

from __future__ import annotations

from collections.abc import Iterator

PREFIX = "zesty_"
ROLES = ("reader", "writer", "keeper")
GUARD = f"{PREFIX}guard"
_LOOKED_AT = {
    "reader": (
        "library_info", "revision", "head", "head_field", "recipe_revision", "recipe_head", "release", "release_item",
        "rule", "proposal_event", "document_revision", "document_head", "presence", "alembic_version",
    ),
    "writer": ("draft",),
}  # fmt: skip
"""Tables that a role may read; of drafts a row policy shows only one's own."""
_CALLED = {
    "reader": ("say_present", "leave"),
    "writer": ("hold", "keep_layout", "keep_recipe", "keep_document", "tell_proposal", "keep_draft", "drop_draft"),
    "keeper": ("release", "set_rules"),
}
"""Functions that a role may call."""
_WRITTEN = (
    "held_thing", "revision", "head", "head_field", "recipe_revision", "recipe_head", "release", "release_item", "rule",
    "proposal_event", "document_revision", "document_head", "presence", "draft",
)  # fmt: skip
"""Tables that the functions write."""


def role_statements() -> Iterator[str]:
    """Yield the statements that make the roles and their rights; making them again changes nothing.

    They belong to the schema that is current; names are not qualified.
    """
    for role in ROLES:
        yield _made(f"{PREFIX}{role}")
    yield f"GRANT {PREFIX}reader TO {PREFIX}writer"
    yield f"GRANT {PREFIX}writer TO {PREFIX}keeper"
    yield from grant_statements()
    yield from guard_statements()


def grant_statements() -> Iterator[str]:
    """Yield the statements that give the roles, which are there, their rights: also needed after a migration.

    The owner of the database may run them whatever else they may not do.
    """
    yield from _rights_of_roles()
    for role, functions in _CALLED.items():
        for function in functions:
            yield f"GRANT EXECUTE ON FUNCTION {PREFIX}{function} TO {PREFIX}{role}"


def guard_statements() -> Iterator[str]:
    """Yield the statements that give the functions to a role nobody logs in as; they take somebody who makes roles."""
    yield _made(GUARD)
    yield f"GRANT {GUARD} TO CURRENT_USER"
    yield _in_schema("GRANT USAGE, CREATE ON SCHEMA %I TO " + GUARD)
    yield f"GRANT SELECT, INSERT, UPDATE, DELETE ON {', '.join(_WRITTEN)} TO {GUARD}"
    yield _in_schema(f"GRANT USAGE ON ALL SEQUENCES IN SCHEMA %I TO {GUARD}")
    # all functions of the library: those that a role calls, and what these call and the triggers run
    yield (
        "DO $$ DECLARE f regprocedure; BEGIN FOR f IN SELECT p.oid FROM pg_proc p JOIN pg_namespace n "
        "ON n.oid = p.pronamespace WHERE n.nspname = current_schema() AND starts_with(p.proname, 'zesty_') LOOP "
        f"EXECUTE format('ALTER FUNCTION %s OWNER TO {GUARD}', f); "
        "EXECUTE format('REVOKE ALL ON FUNCTION %s FROM PUBLIC', f); END LOOP; END $$"
    )
    yield _in_schema(f"REVOKE CREATE ON SCHEMA %I FROM {GUARD}")


def _made(role: str) -> str:
    return (
        f"DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = '{role}') "
        f"THEN CREATE ROLE {role} NOLOGIN; END IF; END $$"
    )


def _rights_of_roles() -> Iterator[str]:
    everybody = ", ".join(f"{PREFIX}{role}" for role in ROLES)
    # what an earlier version gave is taken back first
    yield _in_schema(f"REVOKE ALL ON ALL TABLES IN SCHEMA %I FROM PUBLIC, {everybody}")
    yield _in_schema(f"REVOKE ALL ON ALL SEQUENCES IN SCHEMA %I FROM PUBLIC, {everybody}")
    yield _in_schema("REVOKE CREATE ON SCHEMA %I FROM PUBLIC")
    yield _in_schema(f"GRANT USAGE ON SCHEMA %I TO {PREFIX}reader")
    for role, tables in _LOOKED_AT.items():
        yield f"GRANT SELECT ON {', '.join(tables)} TO {PREFIX}{role}"


def _in_schema(statement: str) -> str:
    return f"DO $$ BEGIN EXECUTE format('{statement}', current_schema()); END $$"
