"""Devices are removed and one comes first; runs of a device are found quickly."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Add what the Intake knows of devices, and write their UUIDs in one way (RFC 4122, section 3)."""
    op.add_column("device", sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("device", sa.Column("is_default", sa.Boolean(), server_default="false", nullable=False))
    op.create_index("uq_device_default", "device", ["is_default"], unique=True, postgresql_where=sa.text("is_default"))
    op.create_index(op.f("ix_run_device_id"), "run", ["device_id"])
    op.execute(
        "update device set uuid = plain from"
        " (select id, lower(regexp_replace(trim(uuid), '^urn:uuid:', '', 'i')) as plain from device) as written"
        " where written.id = device.id and uuid <> plain"
        " and not exists (select from device as other where other.uuid = plain)"
    )


def downgrade() -> None:
    """Forget it."""
    op.drop_index(op.f("ix_run_device_id"), "run")
    op.drop_index("uq_device_default", "device")
    op.drop_column("device", "is_default")
    op.drop_column("device", "removed_at")
