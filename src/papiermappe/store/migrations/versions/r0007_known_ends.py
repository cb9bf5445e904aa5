"""Runs note that they are about to give the device a job, before they do."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Add the intention."""
    op.add_column("run", sa.Column("job_intention", JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    """Forget it."""
    op.drop_column("run", "job_intention")
