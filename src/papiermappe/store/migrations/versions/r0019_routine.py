"""Routines: operations kept under names."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "routine",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("steps", postgresql.JSONB(), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.PrimaryKeyConstraint("id", name="pk_routine"),
    )
    there = sa.text("removed_at is null")
    op.create_index("uq_routine_name", "routine", ["name"], unique=True, postgresql_where=there)


def downgrade() -> None:
    """Take it away."""
    op.drop_table("routine")
