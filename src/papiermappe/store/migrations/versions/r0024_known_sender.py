"""Senders as people call them, by how their letterheads are read."""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    """Add them."""
    op.create_table(
        "known_sender",
        sa.Column("read_as", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("read_as", name="pk_known_sender"),
    )


def downgrade() -> None:
    """Forget them."""
    op.drop_table("known_sender")
