"""Documents are found by any part of their names, and listed newest first, however many there are."""

import sqlalchemy as sa
from alembic import op

revision = "0034"
down_revision = "0033"


def upgrade() -> None:
    """Add the indexes. The extension comes with Debian's server, and whoever owns the database may add it."""
    op.execute("create extension if not exists pg_trgm")
    op.create_index(
        "ix_delivery_file_name",
        "delivery",
        ["file_name"],
        postgresql_using="gin",
        postgresql_ops={"file_name": "gin_trgm_ops"},
    )
    op.create_index(
        "ix_delivery_delivered_at", "delivery", ["delivered_at"], postgresql_where=sa.text("state = 'delivered'")
    )


def downgrade() -> None:
    """Take them away; the extension stays."""
    op.drop_index("ix_delivery_delivered_at", "delivery")
    op.drop_index("ix_delivery_file_name", "delivery")
