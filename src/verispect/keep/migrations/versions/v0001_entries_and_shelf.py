"""Entries and shelf."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make both tables."""
    op.create_table(
        "entries",
        sa.Column("uuid", sa.String(36), primary_key=True),
        sa.Column("created", sa.String(40), nullable=False),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("title", "place", "kit", "note", "words")),
        sa.Column("method", sa.String(40), nullable=False),
        sa.Column("verdict", sa.String(20), nullable=False),
        sa.Column("planned_s", sa.Float),
        sa.Column("taken_s", sa.Float),
        *(sa.Column(name, sa.JSON) for name in ("plan", "run", "check")),
        sa.Column("picture", sa.LargeBinary),
    )
    op.create_index("ix_entries_created", "entries", ["created"])
    op.create_table(
        "shelf",
        sa.Column("uuid", sa.String(36), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("changed", sa.String(40), nullable=False),
        sa.Column("content", sa.JSON, nullable=False),
    )
    op.create_index("ix_shelf_kind", "shelf", ["kind"])


def downgrade() -> None:
    """Take both away."""
    op.drop_table("shelf")
    op.drop_table("entries")
