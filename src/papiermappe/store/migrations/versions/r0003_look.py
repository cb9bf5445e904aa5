"""What the machine saw on a page."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """What the machine saw on a page."""
    op.add_column("page", sa.Column("look", postgresql.JSONB(astext_type=sa.Text()), nullable=True))


def downgrade() -> None:
    """Undo it."""
    op.drop_column("page", "look")
