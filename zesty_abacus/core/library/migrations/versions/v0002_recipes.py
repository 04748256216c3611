"""Recipes with their revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "recipe_revision",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("recipe_id", sa.String(36), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("recipe_revision.id"), nullable=True),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("document", sa.Text, nullable=True),
        sa.UniqueConstraint("recipe_id", "number", name="one_child_a_recipe_revision"),
    )
    op.create_table(
        "recipe_head",
        sa.Column("recipe_id", sa.String(36), primary_key=True),
        sa.Column("revision_id", sa.Integer, sa.ForeignKey("recipe_revision.id"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
    )
