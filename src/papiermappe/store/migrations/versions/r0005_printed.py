"""What is printed on pages; how documents are read, dated and stopped; of what kind and of what pages they are."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"

STATES = "state in ('queued', 'making', 'done', 'failed'{})"


def upgrade() -> None:
    """What was filed before has the day on which it was asked for, and was read as well as could be."""
    op.add_column("page", sa.Column("printed", postgresql.JSONB()))
    cares = sa.Enum("fast", "accurate", name="care", native_enum=False, create_constraint=True, length=20)
    op.add_column("filing", sa.Column("care", cares, nullable=False, server_default="accurate"))
    kinds = (".pdf", ".tif", ".png", ".jpg", ".txt", ".xml", ".docx")
    kind = sa.Enum(*kinds, name="kind", native_enum=False, create_constraint=True, length=20)
    op.add_column("filing", sa.Column("kind", kind, nullable=False, server_default=".pdf"))
    op.add_column("filing", sa.Column("dated", sa.Date()))
    op.execute("update filing set dated = asked_at::date")
    op.alter_column("filing", "dated", nullable=False)
    op.add_column("filing", sa.Column("made", postgresql.JSONB()))
    op.add_column("filing", sa.Column("stop_wanted", sa.Boolean(), nullable=False, server_default="false"))
    op.drop_constraint(op.f("ck_filing_state"), "filing")
    op.create_check_constraint(op.f("ck_filing_state"), "filing", STATES.format(", 'stopped'"))


def downgrade() -> None:
    """Undo it; what was stopped counts as failed."""
    op.execute("update filing set state = 'failed' where state = 'stopped'")
    op.drop_constraint(op.f("ck_filing_state"), "filing")
    op.create_check_constraint(op.f("ck_filing_state"), "filing", STATES.format(""))
    for column in ("stop_wanted", "made", "dated", "kind", "care"):
        op.drop_column("filing", column)
    op.drop_column("page", "printed")
