"""Comments, claims, moments, records of recordings; who has what open; news that the server tells at once."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"

TOLD = ("revision", "recipe_revision", "document_revision", "proposal_event", "release", "rule")
"""Tables whose new rows are news."""


def upgrade() -> None:
    op.create_table(
        "document_revision",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("document_id", sa.String(36), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("document_revision.id"), nullable=True),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False, server_default=""),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("document", sa.Text, nullable=True),
        sa.UniqueConstraint("document_id", "number", name="one_child_a_document_revision"),
    )
    op.create_table(
        "document_head",
        sa.Column("document_id", sa.String(36), primary_key=True),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("document_revision.id"), nullable=False),
        sa.Column("about", sa.String(36), nullable=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("folded_text", sa.Text, nullable=False),
    )
    op.create_index("document_head_by_kind", "document_head", ["kind"])
    op.create_index("document_head_by_about", "document_head", ["about"])
    op.create_table(
        "presence",
        sa.Column("window", sa.String(36), primary_key=True),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False, server_default=""),
        sa.Column("layout_id", sa.String(36), nullable=True),
        sa.Column("seen_us", sa.BigInteger, nullable=False),
    )
    _remake_met()
    if op.get_bind().dialect.name == "postgresql":
        _guard_server()
    else:
        for change in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER document_revision_{change.lower()}_refused BEFORE {change} ON document_revision "
                "BEGIN SELECT RAISE(ABORT, 'history is never rewritten'); END"
            )


def _remake_met() -> None:
    """Let the memory of a working copy hold recipes and documents too."""
    op.rename_table("met", "met_before")
    op.create_table(
        "met",
        sa.Column("home_id", sa.String(36), nullable=False),
        sa.Column("item_id", sa.String(36), nullable=False),
        sa.Column("own_revision", sa.Integer, nullable=False),
        sa.Column("home_revision", sa.Integer, nullable=False),
        sa.PrimaryKeyConstraint("home_id", "item_id", name="met_once"),
    )
    op.execute(
        "INSERT INTO met (home_id, item_id, own_revision, home_revision) "
        "SELECT home_id, layout_id, own_revision, home_revision FROM met_before"
    )
    op.drop_table("met_before")


def _guard_server() -> None:
    for table in ("document_revision", "presence"):
        op.execute(
            f"CREATE FUNCTION zesty_{table}_is_signed() RETURNS trigger LANGUAGE plpgsql "
            "AS $$ BEGIN NEW.login := session_user; RETURN NEW; END $$"
        )
        op.execute(
            f"CREATE TRIGGER {table}_is_signed BEFORE INSERT ON {table} "
            f"FOR EACH ROW EXECUTE FUNCTION zesty_{table}_is_signed()"
        )
    op.execute(
        "CREATE TRIGGER document_revision_stays BEFORE UPDATE OR DELETE ON document_revision "
        "FOR EACH ROW EXECUTE FUNCTION zesty_history_stays()"
    )
    op.execute(
        "CREATE TRIGGER document_revision_is_never_emptied BEFORE TRUNCATE ON document_revision "
        "FOR EACH STATEMENT EXECUTE FUNCTION zesty_history_stays()"
    )
    # everybody sees who is there, and speaks only for themselves
    op.execute("ALTER TABLE presence ENABLE ROW LEVEL SECURITY")
    op.execute("CREATE POLICY seen_by_all ON presence FOR SELECT USING (true)")
    for change in ("UPDATE", "DELETE"):
        op.execute(f"CREATE POLICY own_{change.lower()} ON presence FOR {change} USING (login = session_user)")
    op.execute("CREATE POLICY own_insert ON presence FOR INSERT WITH CHECK (login = session_user)")
    op.execute(
        "CREATE FUNCTION zesty_tells() RETURNS trigger LANGUAGE plpgsql "
        "AS $$ BEGIN PERFORM pg_notify('zesty_news', TG_TABLE_NAME); RETURN NULL; END $$"
    )
    for table in TOLD:
        op.execute(
            f"CREATE TRIGGER {table}_tells AFTER INSERT ON {table} FOR EACH STATEMENT EXECUTE FUNCTION zesty_tells()"
        )
    # a window that only says it is still there is no news
    op.execute(
        "CREATE TRIGGER presence_tells AFTER INSERT OR DELETE OR UPDATE OF layout_id, author ON presence "
        "FOR EACH STATEMENT EXECUTE FUNCTION zesty_tells()"
    )
