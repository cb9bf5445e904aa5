"""Devices and tickets are removed and taken back, one of each is the default; runs of a device are found fast."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Add what the Intake knows of devices and tickets; begin with a ticket like the last run."""
    _devices()
    _tickets()


def _tickets() -> None:
    op.add_column("ticket", sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True))
    op.drop_constraint(op.f("uq_ticket_name"), "ticket")
    op.create_index("uq_ticket_name", "ticket", ["name"], unique=True, postgresql_where=sa.text("removed_at is null"))
    op.execute(
        "insert into ticket (name, settings, is_default)"
        " select 'Everyday', coalesce((select ticket from run where origin = 'scanner' and ticket is not null"
        " order by id desc limit 1), '{}'::jsonb), true"
        " where not exists (select from ticket)"
    )


def _devices() -> None:
    """Add columns, and write UUIDs in one way (RFC 4122, section 3)."""
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
    """Forget it. Of tickets that were removed, nothing stays."""
    op.execute("delete from ticket where removed_at is not null")
    op.drop_index("uq_ticket_name", "ticket")
    op.create_unique_constraint(op.f("uq_ticket_name"), "ticket", ["name"])
    op.drop_column("ticket", "removed_at")
    op.drop_index(op.f("ix_run_device_id"), "run")
    op.drop_index("uq_device_default", "device")
    op.drop_column("device", "is_default")
    op.drop_column("device", "removed_at")
