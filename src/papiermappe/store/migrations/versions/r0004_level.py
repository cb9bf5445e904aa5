"""How small a document becomes, and the languages that its pages are read in."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """How small a document becomes; what was filed before was faithful."""
    levels = sa.Enum("faithful", "balanced", "lean", name="level", native_enum=False, create_constraint=True, length=20)
    op.add_column("filing", sa.Column("level", levels, nullable=False, server_default="faithful"))
    op.alter_column("filing", "level", server_default=None)
    op.add_column("filing", sa.Column("languages", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    """Undo it."""
    op.drop_column("filing", "languages")
    op.drop_column("filing", "level")
