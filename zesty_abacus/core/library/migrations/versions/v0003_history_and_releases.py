"""History that nobody can rewrite, and releases."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

KEPT = ("revision", "recipe_revision", "release", "release_item")
"""Tables of which a row is never changed nor deleted."""


def upgrade() -> None:
    op.create_table(
        "release",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("notes", sa.Text, nullable=False),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("time_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "release_item",
        sa.Column("release_id", sa.Integer, sa.ForeignKey("release.id"), primary_key=True),
        sa.Column("layout_id", sa.String(36), primary_key=True),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
    )
    if op.get_bind().dialect.name == "postgresql":
        op.execute(
            "CREATE FUNCTION zesty_history_stays() RETURNS trigger LANGUAGE plpgsql AS "
            "$$ BEGIN RAISE EXCEPTION 'history is never rewritten'; END $$"
        )
        for table in KEPT:
            op.execute(
                f"CREATE TRIGGER {table}_stays BEFORE UPDATE OR DELETE ON {table} "
                "FOR EACH ROW EXECUTE FUNCTION zesty_history_stays()"
            )
            op.execute(
                f"CREATE TRIGGER {table}_is_never_emptied BEFORE TRUNCATE ON {table} "
                "FOR EACH STATEMENT EXECUTE FUNCTION zesty_history_stays()"
            )
        return
    for table in KEPT:
        for change in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_{change.lower()}_refused BEFORE {change} ON {table} "
                "BEGIN SELECT RAISE(ABORT, 'history is never rewritten'); END"
            )
