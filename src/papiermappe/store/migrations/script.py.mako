"""${message}."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = ${repr(up_revision)}
down_revision = ${repr(down_revision)}


def upgrade() -> None:
    """${message}."""
    ${upgrades}


def downgrade() -> None:
    """Undo it."""
    ${downgrades}
