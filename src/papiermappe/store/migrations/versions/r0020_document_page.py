"""What filed documents say, page by page, to be searched."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0020"
down_revision = "0019"

WORDS = "to_tsvector('simple', text) || to_tsvector('english', text) || to_tsvector('german', text)"


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "document_page",
        sa.Column("document_id", sa.Integer(), nullable=False),
        sa.Column("page", sa.Integer(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("words", postgresql.TSVECTOR(), sa.Computed(WORDS, persisted=True), nullable=False),
        sa.PrimaryKeyConstraint("document_id", "page", name="pk_document_page"),
        sa.ForeignKeyConstraint(["document_id"], ["document.id"], name="fk_document_page_document_id_document"),
    )
    op.create_index("ix_document_page_words", "document_page", ["words"], postgresql_using="gin")


def downgrade() -> None:
    """Take it away."""
    op.drop_table("document_page")
