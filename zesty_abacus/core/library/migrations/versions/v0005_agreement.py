"""Proposals, agreement and its rules, drafts; whom the server knew a writer as."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

SIGNED = ("revision", "rule", "proposal_event", "draft")
"""Tables whose rows carry the login that the server knows, whatever the program says."""


def upgrade() -> None:
    op.add_column("revision", sa.Column("login", sa.Text, nullable=False, server_default=""))
    op.add_column("revision", sa.Column("proposal_id", sa.String(36), nullable=True))
    op.add_column("head", sa.Column("lanes", sa.Text, nullable=False, server_default=""))
    _make_tables()
    _fill_lanes()
    if op.get_bind().dialect.name == "postgresql":
        _guard_server()
    else:
        _guard_file()


def _make_tables() -> None:
    op.create_table(
        "rule",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("needed", sa.Integer, nullable=False),
        sa.Column("agreed_by", sa.Text, nullable=False),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False, server_default=""),
        sa.Column("time_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "proposal_event",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("proposal_id", sa.String(36), nullable=False),
        sa.Column("layout_id", sa.String(36), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False, server_default=""),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
        sa.Column("document", sa.Text, nullable=True),
    )
    op.create_index("proposal_event_by_proposal", "proposal_event", ["proposal_id"])
    op.create_index("proposal_event_by_layout", "proposal_event", ["layout_id"])
    op.create_table(
        "draft",
        sa.Column("layout_id", sa.String(36), primary_key=True),
        sa.Column("login", sa.Text, primary_key=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
    )


def _fill_lanes() -> None:
    """Read the lanes that the newest states name out of their documents."""
    connection = op.get_bind()
    query = "SELECT head.layout_id, revision.document FROM head JOIN revision ON revision.id = head.revision_id"
    for layout_id, document in connection.execute(sa.text(query)).all():
        lanes = json.loads(document).get("applies", {}).get("lanes", [])
        connection.execute(
            sa.text("UPDATE head SET lanes = :lanes WHERE layout_id = :key"),
            {"lanes": "\n".join(lanes), "key": layout_id},
        )


def _guard_server() -> None:
    for table in SIGNED:
        _run_before_insert(table, "is_signed", "NEW.login := session_user; RETURN NEW;")
    for table in ("rule", "proposal_event"):
        _stays(table)
    # an agreement is by a second person, who may agree
    _run_before_insert("proposal_event", "may_agree", """
        DECLARE asked text; named text; allowed boolean;
        BEGIN
          IF NEW.kind <> 'agreed' THEN RETURN NEW; END IF;
          SELECT agreed_by INTO asked FROM rule ORDER BY id DESC LIMIT 1;
          IF EXISTS (SELECT FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id AND p.kind = 'proposed'
                     AND p.login = session_user) THEN
            RAISE EXCEPTION 'nobody agrees to a change of their own';
          END IF;
          IF asked IS NULL OR asked = '[]' THEN RETURN NEW; END IF;
          FOR named IN SELECT json_array_elements_text(asked::json) LOOP
            SELECT pg_has_role(session_user, oid, 'member') INTO allowed FROM pg_roles WHERE rolname = named;
            IF allowed THEN RETURN NEW; END IF;
          END LOOP;
          RAISE EXCEPTION 'may not agree to changes of this library';
        END""")  # fmt: skip
    # one proposal is one change; where nothing was merged in, it is the one that was agreed
    _run_before_insert("revision", "is_agreed", """
        DECLARE asked integer; since proposal_event%ROWTYPE; agreed integer;
        BEGIN
          SELECT needed INTO asked FROM rule ORDER BY id DESC LIMIT 1;
          IF asked IS NULL OR asked = 0 THEN RETURN NEW; END IF;
          SELECT * INTO since FROM proposal_event WHERE proposal_id = NEW.proposal_id
            AND layout_id = NEW.layout_id AND kind = 'proposed' ORDER BY id DESC LIMIT 1;
          SELECT count(DISTINCT login) INTO agreed FROM proposal_event
            WHERE proposal_id = NEW.proposal_id AND kind = 'agreed' AND id > since.id;
          IF since.id IS NULL OR agreed < asked
             OR EXISTS (SELECT FROM revision r WHERE r.proposal_id = NEW.proposal_id)
             OR (NEW.parent_id IS NOT DISTINCT FROM since.parent_id AND NEW.document IS DISTINCT FROM since.document)
          THEN RAISE EXCEPTION 'changes are agreed first'; END IF;
          RETURN NEW;
        END""")  # fmt: skip
    op.execute("ALTER TABLE draft ENABLE ROW LEVEL SECURITY")
    op.execute("ALTER TABLE draft FORCE ROW LEVEL SECURITY")
    op.execute("CREATE POLICY own_drafts ON draft USING (login = session_user) WITH CHECK (login = session_user)")


def _run_before_insert(table: str, name: str, body: str) -> None:
    block = body if "BEGIN" in body else f"BEGIN {body} END"
    # names are looked up where the tables are: a caller's own temporary table of the same name comes last
    schema = op.get_bind().execute(sa.text("SELECT quote_ident(current_schema())")).scalar()
    op.execute(
        f"CREATE FUNCTION zesty_{table}_{name}() RETURNS trigger LANGUAGE plpgsql SET search_path = {schema}, pg_temp "
        f"AS $$ {block} $$"
    )
    op.execute(
        f"CREATE TRIGGER {table}_{name} BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION zesty_{table}_{name}()"
    )


def _stays(table: str) -> None:
    op.execute(
        f"CREATE TRIGGER {table}_stays BEFORE UPDATE OR DELETE ON {table} "
        "FOR EACH ROW EXECUTE FUNCTION zesty_history_stays()"
    )
    op.execute(
        f"CREATE TRIGGER {table}_is_never_emptied BEFORE TRUNCATE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION zesty_history_stays()"
    )


def _guard_file() -> None:
    """In a file, where nobody logs in, the names that people go by stand for them."""
    for table in ("rule", "proposal_event"):
        for change in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_{change.lower()}_refused BEFORE {change} ON {table} "
                "BEGIN SELECT RAISE(ABORT, 'history is never rewritten'); END"
            )
    op.execute("""
        CREATE TRIGGER proposal_event_may_agree BEFORE INSERT ON proposal_event WHEN NEW.kind = 'agreed'
        BEGIN
          SELECT RAISE(ABORT, 'nobody agrees to a change of their own') WHERE EXISTS (
            SELECT 1 FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id AND p.kind = 'proposed'
            AND p.author = NEW.author);
          SELECT RAISE(ABORT, 'may not agree to changes of this library')
          FROM (SELECT agreed_by FROM rule ORDER BY id DESC LIMIT 1) r
          WHERE r.agreed_by <> '[]' AND NEW.author NOT IN (SELECT value FROM json_each(r.agreed_by));
        END""")
    op.execute("""
        CREATE TRIGGER revision_is_agreed BEFORE INSERT ON revision
        WHEN COALESCE((SELECT needed FROM rule ORDER BY id DESC LIMIT 1), 0) > 0
        BEGIN
          SELECT RAISE(ABORT, 'changes are agreed first') WHERE
            EXISTS (SELECT 1 FROM revision r WHERE r.proposal_id = NEW.proposal_id)
            OR COALESCE((
              SELECT count(DISTINCT a.author) FROM proposal_event a
              WHERE a.proposal_id = NEW.proposal_id AND a.kind = 'agreed' AND a.id > (
                SELECT max(p.id) FROM proposal_event p WHERE p.proposal_id = NEW.proposal_id
                AND p.layout_id = NEW.layout_id AND p.kind = 'proposed')
            ), 0) < (SELECT needed FROM rule ORDER BY id DESC LIMIT 1)
            OR EXISTS (
              SELECT 1 FROM proposal_event p WHERE p.id = (
                SELECT max(q.id) FROM proposal_event q WHERE q.proposal_id = NEW.proposal_id AND q.kind = 'proposed')
              AND p.parent_id IS NEW.parent_id AND p.document IS NOT NEW.document);
        END""")
