"""Runs of areas of the glass."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    """Add the column."""
    op.add_column("run", sa.Column("areas", postgresql.JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("run", "areas")
