"""What became of laying the backs of a run to their fronts."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    """Add the column."""
    op.add_column("run", sa.Column("pairing", postgresql.JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("run", "pairing")
