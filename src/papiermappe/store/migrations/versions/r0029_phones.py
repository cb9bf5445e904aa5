"""Links for phones, and pictures that a camera takes one at a time."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0029"
down_revision = "0028"


def upgrade() -> None:
    """Add them."""
    op.create_table(
        "phone_link",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("mappe_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("author", sa.String(), nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("closed_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_phone_link"),
        sa.ForeignKeyConstraint(["mappe_id"], ["mappe.id"], name="fk_phone_link_mappe_id_mappe"),
        sa.UniqueConstraint("digest", name="uq_phone_link_digest"),
    )
    op.create_index(
        "uq_phone_link_open", "phone_link", ["mappe_id"], unique=True, postgresql_where=sa.text("closed_at is null")
    )
    op.add_column("run", sa.Column("phone_link_id", sa.Integer(), nullable=True))
    op.create_foreign_key("fk_run_phone_link_id_phone_link", "run", "phone_link", ["phone_link_id"], ["id"])
    op.create_index("ix_run_phone_link_id", "run", ["phone_link_id"])
    op.create_check_constraint("phone", "run", "origin = 'camera' or phone_link_id is null")
    op.add_column("capture", sa.Column("photo_sheet", postgresql.JSONB(none_as_null=True), nullable=True))
    op.add_column("incoming_file", sa.Column("again_page_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "fk_incoming_file_again_page_id_page", "incoming_file", "page", ["again_page_id"], ["id"], ondelete="SET NULL"
    )


def downgrade() -> None:
    """Forget them."""
    op.drop_column("capture", "photo_sheet")
    op.drop_column("incoming_file", "again_page_id")
    op.drop_constraint("ck_run_phone", "run")
    op.drop_column("run", "phone_link_id")
    op.drop_table("phone_link")
