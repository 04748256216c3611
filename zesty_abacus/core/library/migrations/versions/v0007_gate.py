"""Writers write through functions of the database; every row is signed; what cannot be read is refused."""

from pathlib import Path

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

SERVER = Path(__file__).parent.parent / "sql" / "v0007_server.sql"
_APPLICATION_ID = 0x5A414C42
_LATEST_US = 253_402_300_799_000_000
"""The last moment of the year 9999, after which no calendar of ours goes."""
_TIMED = ("revision", "recipe_revision", "document_revision", "proposal_event", "rule", "release", "draft")
_THINGS = {
    "revision": "layout_id", "recipe_revision": "recipe_id", "document_revision": "document_id",
    "proposal_event": "layout_id",
}  # fmt: skip
"""Tables of what has an identity, and its column."""
_UUID = "[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}"


def upgrade() -> None:
    for table in ("recipe_revision", "release"):
        op.add_column(table, sa.Column("login", sa.Text, nullable=False, server_default=""))
    op.add_column("proposal_event", sa.Column("agreed_to", sa.Integer, nullable=True))
    if op.get_bind().dialect.name == "postgresql":
        _guard_server()
    else:
        _guard_file()


def _guard_server() -> None:
    schema = op.get_bind().execute(sa.text("SELECT quote_ident(current_schema())")).scalar()
    # of what was agreed to before this, the newest proposed state is meant
    op.execute("ALTER TABLE proposal_event DISABLE TRIGGER proposal_event_stays")
    op.execute(_AGREED_BEFORE)
    op.execute("ALTER TABLE proposal_event ENABLE TRIGGER proposal_event_stays")
    for statement in _statements(SERVER.read_text(encoding="utf-8").replace("{schema}", str(schema))):
        op.get_bind().exec_driver_sql(statement.replace("%", "%%"))
    for table in ("recipe_revision", "release"):
        op.execute(
            f"CREATE FUNCTION zesty_{table}_is_signed() RETURNS trigger LANGUAGE plpgsql SET search_path = {schema}, "
            "pg_temp AS $$ BEGIN NEW.login := session_user; RETURN NEW; END $$"
        )
        op.execute(
            f"CREATE TRIGGER {table}_is_signed BEFORE INSERT ON {table} "
            f"FOR EACH ROW EXECUTE FUNCTION zesty_{table}_is_signed()"
        )
    for table in _TIMED:
        _constrain(table, "has_a_time", f"time_us BETWEEN 0 AND {_LATEST_US}")
    for table, key in _THINGS.items():
        _constrain(table, "has_an_identity", f"{key} ~ '^{_UUID}$'")
    _constrain("presence", "is_a_window", f"\"window\" ~ '^{_UUID}$'")
    for (name,) in op.get_bind().exec_driver_sql(
        "SELECT p.oid::regprocedure::text FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace "
        "WHERE n.nspname = current_schema() AND starts_with(p.proname, 'zesty_')"
    ):
        op.get_bind().exec_driver_sql(f"REVOKE ALL ON FUNCTION {name} FROM PUBLIC")


def _constrain(table: str, name: str, rule: str) -> None:
    """Refuse what cannot be read from now on; a row that is there already stays, whatever it holds."""
    constraint = f"{table}_{name}"
    op.execute(f"ALTER TABLE {table} ADD CONSTRAINT {constraint} CHECK ({rule}) NOT VALID")
    op.execute(
        f"DO $$ BEGIN ALTER TABLE {table} VALIDATE CONSTRAINT {constraint}; "
        "EXCEPTION WHEN check_violation THEN NULL; END $$"
    )


def _statements(text: str) -> list[str]:
    """Split a script at the semicolons that end a line outside of a function's body."""
    found, part = [], ""
    for line in text.splitlines():
        part += f"{line}\n" if not line.startswith("--") else ""
        if line.rstrip().endswith(";") and part.count("$$") % 2 == 0:
            found.append(part.strip())
            part = ""
    return found


_AGREED_BEFORE = """
    UPDATE proposal_event SET agreed_to = (
      SELECT max(p.id) FROM proposal_event p
      WHERE p.proposal_id = proposal_event.proposal_id AND p.kind = 'proposed' AND p.id < proposal_event.id)
    WHERE kind = 'agreed'"""


def _guard_file() -> None:
    """In a file, where nobody logs in, this holds against mistakes."""
    op.execute(f"PRAGMA application_id = {_APPLICATION_ID}")
    op.execute("DROP TRIGGER proposal_event_update_refused")
    op.execute(_AGREED_BEFORE)
    op.execute(
        "CREATE TRIGGER proposal_event_update_refused BEFORE UPDATE ON proposal_event "
        "BEGIN SELECT RAISE(ABORT, 'history is never rewritten'); END"
    )
    for table in _TIMED:
        op.execute(
            f"CREATE TRIGGER {table}_has_a_time BEFORE INSERT ON {table} "
            f"WHEN NEW.time_us NOT BETWEEN 0 AND {_LATEST_US} BEGIN SELECT RAISE(ABORT, 'this is no time'); END"
        )
    op.execute("""
        CREATE TRIGGER revision_is_next BEFORE INSERT ON revision
        BEGIN
          SELECT RAISE(ABORT, 'one_child_a revision: the parent is not the newest') WHERE NEW.parent_id IS NOT (
            SELECT id FROM revision WHERE layout_id = NEW.layout_id ORDER BY number DESC LIMIT 1);
          SELECT RAISE(ABORT, 'one_child_a revision: it does not follow the newest') WHERE NEW.number <> 1 + COALESCE((
            SELECT max(number) FROM revision WHERE layout_id = NEW.layout_id), 0);
        END""")
    op.execute("DROP TRIGGER revision_is_agreed")
    op.execute("""
        CREATE TRIGGER revision_is_agreed BEFORE INSERT ON revision
        WHEN NEW.proposal_id IS NOT NULL OR COALESCE((SELECT needed FROM rule ORDER BY id DESC LIMIT 1), 0) > 0
        BEGIN
          SELECT RAISE(ABORT, 'changes are agreed first') WHERE
            EXISTS (SELECT 1 FROM revision r WHERE r.proposal_id = NEW.proposal_id)
            OR COALESCE((
              SELECT count(DISTINCT a.author) FROM proposal_event a
              WHERE a.proposal_id = NEW.proposal_id AND a.kind = 'agreed' AND a.agreed_to = (
                SELECT max(p.id) FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id
                AND p.layout_id = NEW.layout_id AND p.kind = 'proposed')
            ), 0) < max(COALESCE((SELECT needed FROM rule ORDER BY id DESC LIMIT 1), 0), 1)
            OR EXISTS (
              SELECT 1 FROM proposal_event e WHERE e.proposal_id = NEW.proposal_id
              AND e.kind IN ('sent back', 'withdrawn', 'kept') AND e.id > (
                SELECT max(p.id) FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id AND p.kind = 'proposed'));
          SELECT RAISE(ABORT, 'another change was agreed') WHERE
            COALESCE((SELECT needed FROM rule ORDER BY id DESC LIMIT 1), 0) > 0 AND EXISTS (
              SELECT 1 FROM proposal_event p WHERE p.id = (
                SELECT max(q.id) FROM proposal_event q WHERE q.proposal_id = NEW.proposal_id AND q.kind = 'proposed')
              AND (p.parent_id IS NOT NEW.parent_id OR p.document IS NOT NEW.document));
        END""")
    op.execute("""
        CREATE TRIGGER proposal_event_keeps_order BEFORE INSERT ON proposal_event
        BEGIN
          SELECT RAISE(ABORT, 'there is no such proposal') WHERE NEW.kind <> 'proposed' AND NOT EXISTS (
            SELECT 1 FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id);
          SELECT RAISE(ABORT, 'this proposal has ended') WHERE EXISTS (
            SELECT 1 FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id AND p.kind IN ('withdrawn', 'kept'));
          SELECT RAISE(ABORT, 'another state was proposed since') WHERE NEW.kind = 'agreed' AND NEW.agreed_to IS NOT (
            SELECT max(p.id) FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id AND p.kind = 'proposed');
          SELECT RAISE(ABORT, 'this proposal was sent back') WHERE NEW.kind = 'agreed' AND 'sent back' = (
            SELECT p.kind FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id
            AND p.kind NOT IN ('replied', 'agreed') ORDER BY p.id DESC LIMIT 1);
        END""")
    # the items of a release are written before it, in the same transaction: once it is there, nothing comes to it
    op.execute("""
        CREATE TRIGGER release_item_is_closed BEFORE INSERT ON release_item
        WHEN EXISTS (SELECT 1 FROM release r WHERE r.id = NEW.release_id)
        BEGIN SELECT RAISE(ABORT, 'history is never rewritten'); END""")
