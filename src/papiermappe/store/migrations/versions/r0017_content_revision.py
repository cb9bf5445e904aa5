"""What a page is and where it lies have revisions of their own."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    """Add the column; so far all of a page has changed together."""
    op.add_column("page", sa.Column("content_revision", sa.BigInteger(), nullable=True))
    op.execute("update page set content_revision = revision")
    op.alter_column("page", "content_revision", nullable=False)


def downgrade() -> None:
    """Take it away."""
    op.drop_column("page", "content_revision")
