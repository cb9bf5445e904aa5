"""Files that are brought in."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"

STATES = ("coming", "waiting", "locked", "done", "failed", "cancelled")


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "incoming_file",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("byte_size", sa.BigInteger(), nullable=False),
        sa.Column("both_sides", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("state", sa.Enum(*STATES, name="state", native_enum=False, length=20), nullable=False),
        sa.Column("password", sa.String(), nullable=True),
        sa.Column("message", postgresql.JSONB(none_as_null=True), nullable=True),
        sa.Column("asked_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint(f"state in {STATES}", name=op.f("ck_incoming_file_state")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_incoming_file_run_id_run")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_incoming_file")),
        sa.UniqueConstraint("run_id", "number", name=op.f("uq_incoming_file_run_id_number")),
        sa.UniqueConstraint("run_id", "name", name=op.f("uq_incoming_file_run_id_name")),
    )


def downgrade() -> None:
    """Take it away."""
    op.drop_table("incoming_file")
