"""What goes with each filing: where its pages came from, and what had been done to them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    """Add it."""
    op.add_column("filing", sa.Column("slip", postgresql.JSONB()))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("filing", "slip")
