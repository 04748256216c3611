"""Layouts with their revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "library_info",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("layout_id", sa.String(36), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=True),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("document", sa.Text, nullable=True),
        sa.UniqueConstraint("layout_id", "number", name="one_child_a_revision"),
    )
    op.create_table(
        "head",
        sa.Column("layout_id", sa.String(36), primary_key=True),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("folded_name", sa.Text, nullable=False),
        sa.Column("protocol", sa.String(16), nullable=False),
        sa.Column("address", sa.BigInteger, nullable=False),
        sa.Column("extended", sa.Boolean, nullable=False),
    )
    op.create_index("head_by_address", "head", ["address"])
    op.create_index("head_by_name", "head", ["folded_name"])
    op.create_table(
        "head_field",
        sa.Column("layout_id", sa.String(36), sa.ForeignKey("head.layout_id", ondelete="CASCADE"), primary_key=True),
        sa.Column("field_id", sa.String(36), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("unit", sa.Text, nullable=False),
        sa.Column("folded_name", sa.Text, nullable=False),
        sa.Column("folded_unit", sa.Text, nullable=False),
    )
    op.create_index("head_field_by_name", "head_field", ["folded_name"])
    op.create_index("head_field_by_unit", "head_field", ["folded_unit"])
