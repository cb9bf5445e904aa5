"""What is asked of documents beyond format and level."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    """Keep it with each filing."""
    op.add_column("filing", sa.Column("options", JSONB(), server_default=sa.text("'{}'::jsonb"), nullable=False))
    op.add_column("filing", sa.Column("password", sa.LargeBinary(), nullable=True))


def downgrade() -> None:
    """Forget it."""
    op.drop_column("filing", "password")
    op.drop_column("filing", "options")
