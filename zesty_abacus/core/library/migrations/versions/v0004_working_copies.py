"""What a working copy and its home had in common when they last met."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "met",
        sa.Column("home_id", sa.String(36), primary_key=True),
        sa.Column("layout_id", sa.String(36), primary_key=True),
        sa.Column("own_revision", sa.Integer, sa.ForeignKey("revision.id"), nullable=False),
        sa.Column("home_revision", sa.Integer, nullable=False),
    )
