"""Pictures of an open book, of a sheet that was seen before, and taken again before they are pages."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    """Add them."""
    op.add_column("run", sa.Column("open_book", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("incoming_file", sa.Column("again_file_id", sa.Integer(), nullable=True))
    op.add_column("incoming_file", sa.Column("near", postgresql.JSONB(none_as_null=True), nullable=True))
    op.create_foreign_key(
        "fk_incoming_file_again_file_id_incoming_file",
        "incoming_file",
        "incoming_file",
        ["again_file_id"],
        ["id"],
        ondelete="SET NULL",
    )


def downgrade() -> None:
    """Forget them."""
    op.drop_column("incoming_file", "near")
    op.drop_column("incoming_file", "again_file_id")
    op.drop_column("run", "open_book")
