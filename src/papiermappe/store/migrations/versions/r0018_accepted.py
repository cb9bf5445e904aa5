"""What a person has said is fine."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    """Add the column."""
    accepted = sa.Column("accepted", postgresql.JSONB(), server_default=sa.text("'[]'::jsonb"), nullable=False)
    op.add_column("page", accepted)


def downgrade() -> None:
    """Take it away."""
    op.drop_column("page", "accepted")
