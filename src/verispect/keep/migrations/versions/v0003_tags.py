"""Words of one's own on a job."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column."""
    op.add_column("entries", sa.Column("tags", sa.Text, nullable=False, server_default=""))


def downgrade() -> None:
    """Take it away."""
    with op.batch_alter_table("entries") as batch:
        batch.drop_column("tags")
