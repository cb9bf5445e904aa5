"""A document whose name is made of what its first page says has none before that has been read."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0033"
down_revision = "0032"

NAME = "uq_delivery_destination_id_file_name"
COLUMNS = ["destination_id", "file_name"]


def upgrade() -> None:
    """Keep what was typed for a name; documents without one do not stand in each other's way."""
    op.add_column(
        "filing", sa.Column("by_hand", postgresql.JSONB(), server_default=sa.text("'{}'::jsonb"), nullable=False)
    )
    op.drop_constraint(NAME, "delivery", type_="unique")
    op.create_index(NAME, "delivery", COLUMNS, unique=True, postgresql_where=sa.text("file_name <> ''"))


def downgrade() -> None:
    """Every delivery has a name again. Raises IntegrityError where documents still wait for theirs."""
    op.drop_index(NAME, "delivery")
    op.create_unique_constraint(NAME, "delivery", COLUMNS)
    op.drop_column("filing", "by_hand")
