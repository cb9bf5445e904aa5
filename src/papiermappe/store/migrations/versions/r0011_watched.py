"""Watched folders, and where a file came from that was found in one."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    """Add the table and the columns."""
    op.create_table(
        "watched_folder",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("both_sides", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_watched_folder")),
    )
    op.create_index(
        "uq_watched_folder_path",
        "watched_folder",
        ["path"],
        unique=True,
        postgresql_where=sa.text("removed_at is null"),
    )
    op.add_column("incoming_file", sa.Column("folder_id", sa.Integer(), nullable=True))
    op.add_column("incoming_file", sa.Column("source_path", sa.String(), nullable=True))
    op.add_column("incoming_file", sa.Column("source_mtime_ns", sa.BigInteger(), nullable=True))
    op.create_foreign_key(
        op.f("fk_incoming_file_folder_id_watched_folder"), "incoming_file", "watched_folder", ["folder_id"], ["id"]
    )
    op.create_index(
        "uq_incoming_file_source",
        "incoming_file",
        ["folder_id", "source_path", "source_mtime_ns", "byte_size"],
        unique=True,
        postgresql_where=sa.text("folder_id is not null"),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_index("uq_incoming_file_source", "incoming_file")
    op.drop_constraint(op.f("fk_incoming_file_folder_id_watched_folder"), "incoming_file")
    for column in ("source_mtime_ns", "source_path", "folder_id"):
        op.drop_column("incoming_file", column)
    op.drop_table("watched_folder")
