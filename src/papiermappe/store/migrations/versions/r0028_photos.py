"""Captures that a camera took, of which the sheet is found and made flat."""

import sqlalchemy as sa
from alembic import op

revision = "0028"
down_revision = "0027"


def upgrade() -> None:
    """Add it; those from before were scans, or were taken for scans."""
    op.add_column("capture", sa.Column("by_camera", sa.Boolean(), server_default="false", nullable=False))


def downgrade() -> None:
    """Forget it."""
    op.drop_column("capture", "by_camera")
