"""What was promised of a job, and with which lens it was taken."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add both columns."""
    op.add_column("entries", sa.Column("promised", sa.Float))
    op.add_column("entries", sa.Column("lens", sa.Text, nullable=False, server_default=""))


def downgrade() -> None:
    """Take both away."""
    with op.batch_alter_table("entries") as batch:
        batch.drop_column("promised")
        batch.drop_column("lens")
