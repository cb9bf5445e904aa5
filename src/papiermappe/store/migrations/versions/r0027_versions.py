"""What filed documents are found by and look like, which replace others, and what tickets name."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    """Add it; of documents from before, it is not known."""
    op.add_column("document", sa.Column("sender", sa.String(), server_default="", nullable=False))
    op.add_column("document", sa.Column("dated", sa.Date(), nullable=True))
    op.add_column("document", sa.Column("replaces_id", sa.Integer(), nullable=True))
    op.add_column("document", sa.Column("thumbnail", sa.LargeBinary(), nullable=True))
    op.create_foreign_key(op.f("fk_document_replaces_id_document"), "document", "document", ["replaces_id"], ["id"])
    op.create_unique_constraint(op.f("uq_document_replaces_id"), "document", ["replaces_id"])
    op.add_column("ticket", sa.Column("naming_rule_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        op.f("fk_ticket_naming_rule_id_naming_rule"), "ticket", "naming_rule", ["naming_rule_id"], ["id"]
    )
    op.add_column("run", sa.Column("ticket_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_run_ticket_id_ticket"), "run", "ticket", ["ticket_id"], ["id"])


def downgrade() -> None:
    """Forget it."""
    op.drop_column("run", "ticket_id")
    op.drop_column("ticket", "naming_rule_id")
    for column in ("thumbnail", "replaces_id", "dated", "sender"):
        op.drop_column("document", column)
