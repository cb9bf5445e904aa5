"""Pages that wait for being examined are found without looking at all others."""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"

TO_BE_FLATTENED = "treatment ->> 'corners' is not null and treatment ->> 'straighten' is null"


def upgrade() -> None:
    """Add the indexes."""
    op.create_index("ix_page_not_analysed", "page", ["id"], postgresql_where=sa.text("analysis is null"))
    op.create_index("ix_page_to_be_flattened", "page", ["id"], postgresql_where=sa.text(TO_BE_FLATTENED))


def downgrade() -> None:
    """Take them away."""
    op.drop_index("ix_page_to_be_flattened", "page")
    op.drop_index("ix_page_not_analysed", "page")
