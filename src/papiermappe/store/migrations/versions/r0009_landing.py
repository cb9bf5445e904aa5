"""Runs know who began them and where their pages land; sheets can be taken again, within a run and in place."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Add the columns."""
    op.alter_column("run", "pages_before_job", new_column_name="captures_before_job")
    op.add_column("run", sa.Column("author", sa.String(), server_default="", nullable=False))
    op.add_column("run", sa.Column("landing", postgresql.JSONB(none_as_null=True), nullable=True))
    op.add_column("run", sa.Column("retaking", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("capture", sa.Column("take", sa.Integer(), server_default="1", nullable=False))
    op.drop_constraint(op.f("uq_capture_run_id_sheet_side"), "capture")
    op.create_unique_constraint(
        op.f("uq_capture_run_id_sheet_side_take"), "capture", ["run_id", "sheet", "side", "take"]
    )


def downgrade() -> None:
    """Take the columns away. Sheets that were taken again count as sheets far behind the others."""
    op.execute("update capture set sheet = sheet + 10000 * (take - 1) where take > 1")
    op.drop_constraint(op.f("uq_capture_run_id_sheet_side_take"), "capture")
    op.create_unique_constraint(op.f("uq_capture_run_id_sheet_side"), "capture", ["run_id", "sheet", "side"])
    op.drop_column("capture", "take")
    op.drop_column("run", "retaking")
    op.drop_column("run", "landing")
    op.drop_column("run", "author")
    op.alter_column("run", "captures_before_job", new_column_name="pages_before_job")
