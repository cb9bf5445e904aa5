"""Where documents begin in a Mappe, and codes that say so; what an entry sets of a Mappe; pages that lie nowhere."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    """Add the columns."""
    op.add_column("page", sa.Column("begins", sa.String(), nullable=True))
    op.alter_column("page", "mappe_id", nullable=True)
    for name in ("before", "after"):
        op.add_column("journal_mappe", sa.Column(name, postgresql.JSONB(none_as_null=True), nullable=True))

    op.create_table(
        "code_pattern",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("format", sa.String(20), nullable=True),
        sa.Column("pattern", sa.String(), nullable=False),
        sa.Column("use", sa.String(20), nullable=False),
        sa.CheckConstraint(
            "format in ('qr', 'data_matrix', 'code_128', 'code_39', 'ean_13')", name=op.f("ck_code_pattern_format")
        ),
        sa.CheckConstraint("use in ('divider', 'begins', 'names')", name=op.f("ck_code_pattern_use")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_code_pattern")),
        sa.UniqueConstraint(
            "format", "pattern", "use", name=op.f("uq_code_pattern_format_pattern_use"),
            postgresql_nulls_not_distinct=True,
        ),
    )  # fmt: skip


def downgrade() -> None:
    """Take them away, and the pages that lie nowhere."""
    op.drop_table("code_pattern")
    op.execute("delete from journal_change using page where page_id = page.id and mappe_id is null")
    op.execute("delete from page where mappe_id is null")
    for name in ("after", "before"):
        op.drop_column("journal_mappe", name)
    op.alter_column("page", "mappe_id", nullable=False)
    op.drop_column("page", "begins")
