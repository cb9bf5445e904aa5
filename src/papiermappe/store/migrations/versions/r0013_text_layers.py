"""What files say of their pages."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    """Add the column."""
    op.add_column("capture", sa.Column("text_layer", postgresql.JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("capture", "text_layer")
