"""Mappen, passes, captures, pages, journal, filings."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Mappen, passes, captures, pages, journal, filings."""
    op.create_table(
        "destination",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_destination")),
        sa.UniqueConstraint("name", name=op.f("uq_destination_name")),
    )
    op.create_table(
        "device",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("url", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_device")),
        sa.UniqueConstraint("url", name=op.f("uq_device_url")),
    )
    op.create_table(
        "mappe",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("seq", sa.Integer(), server_default="0", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mappe")),
    )
    op.create_table(
        "naming_rule",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("next_number", sa.Integer(), server_default="1", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_naming_rule")),
        sa.UniqueConstraint("name", name=op.f("uq_naming_rule_name")),
    )
    op.create_table(
        "ticket",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("settings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_ticket")),
        sa.UniqueConstraint("name", name=op.f("uq_ticket_name")),
    )
    op.create_table(
        "filing",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("mappe_id", sa.Integer(), nullable=False),
        sa.Column("destination_id", sa.Integer(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("pages", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("page_count", sa.Integer(), nullable=False),
        sa.Column(
            "state",
            sa.Enum(
                "queued",
                "making",
                "done",
                "failed",
                name="state",
                native_enum=False,
                create_constraint=True,
                length=20,
            ),
            nullable=False,
        ),
        sa.Column("pages_done", sa.Integer(), server_default="0", nullable=False),
        sa.Column("message", sa.String(), nullable=True),
        sa.Column("byte_size", sa.Integer(), nullable=True),
        sa.Column("sha256", sa.String(), nullable=True),
        sa.Column("asked_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["destination_id"], ["destination.id"], name=op.f("fk_filing_destination_id_destination")
        ),
        sa.ForeignKeyConstraint(["mappe_id"], ["mappe.id"], name=op.f("fk_filing_mappe_id_mappe")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_filing")),
        sa.UniqueConstraint("destination_id", "file_name", name=op.f("uq_filing_destination_id_file_name")),
    )
    op.create_index(op.f("ix_filing_mappe_id"), "filing", ["mappe_id"], unique=False)
    op.create_table(
        "journal_entry",
        sa.Column("mappe_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column(
            "kind",
            sa.Enum(
                "do",
                "undo",
                "redo",
                "note",
                name="kind",
                native_enum=False,
                create_constraint=True,
                length=20,
            ),
            nullable=False,
        ),
        sa.Column("of_seq", sa.Integer(), nullable=True),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("before", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("after", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["mappe_id"], ["mappe.id"], name=op.f("fk_journal_entry_mappe_id_mappe")),
        sa.PrimaryKeyConstraint("mappe_id", "seq", name=op.f("pk_journal_entry")),
    )
    op.create_table(
        "pass",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("mappe_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("ticket", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("first_sheet", sa.Integer(), server_default="1", nullable=False),
        sa.Column(
            "state",
            sa.Enum(
                "taking",
                "waiting",
                "done",
                "stopped",
                "failed",
                name="state",
                native_enum=False,
                create_constraint=True,
                length=20,
            ),
            nullable=False,
        ),
        sa.Column("stop_wanted", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("job_url", sa.String(), nullable=True),
        sa.Column("message", sa.String(), nullable=True),
        sa.Column("started_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_pass_device_id_device")),
        sa.ForeignKeyConstraint(["mappe_id"], ["mappe.id"], name=op.f("fk_pass_mappe_id_mappe")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pass")),
        sa.UniqueConstraint("mappe_id", "number", name=op.f("uq_pass_mappe_id_number")),
    )
    op.create_index(
        "uq_pass_device_live",
        "pass",
        ["device_id"],
        unique=True,
        postgresql_where=sa.text("state in ('taking', 'waiting')"),
    )
    op.create_index(
        "uq_pass_mappe_live",
        "pass",
        ["mappe_id"],
        unique=True,
        postgresql_where=sa.text("state in ('taking', 'waiting')"),
    )
    op.create_table(
        "capture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pass_id", sa.Integer(), nullable=False),
        sa.Column("sheet", sa.Integer(), nullable=False),
        sa.Column(
            "side",
            sa.Enum("front", "back", name="side", native_enum=False, create_constraint=True, length=20),
            nullable=False,
        ),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("media_type", sa.String(), nullable=False),
        sa.Column("byte_size", sa.Integer(), nullable=False),
        sa.Column("width_px", sa.Integer(), nullable=False),
        sa.Column("height_px", sa.Integer(), nullable=False),
        sa.Column("dpi", sa.Double(), nullable=False),
        sa.Column("arrived_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("width_px > 0 and height_px > 0 and dpi > 0", name=op.f("ck_capture_size")),
        sa.ForeignKeyConstraint(["pass_id"], ["pass.id"], name=op.f("fk_capture_pass_id_pass")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_capture")),
        sa.UniqueConstraint("pass_id", "sheet", "side", name=op.f("uq_capture_pass_id_sheet_side")),
    )
    op.create_table(
        "page",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("mappe_id", sa.Integer(), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("rank", sa.Numeric(), nullable=False),
        sa.Column(
            "side",
            sa.Enum("front", "back", name="side", native_enum=False, create_constraint=True, length=20),
            nullable=False,
        ),
        sa.Column("put_away", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("treatment", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.CheckConstraint("revision > 0", name=op.f("ck_page_revision")),
        sa.ForeignKeyConstraint(["capture_id"], ["capture.id"], name=op.f("fk_page_capture_id_capture")),
        sa.ForeignKeyConstraint(["mappe_id"], ["mappe.id"], name=op.f("fk_page_mappe_id_mappe")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page")),
        sa.UniqueConstraint("capture_id", name=op.f("uq_page_capture_id")),
        sa.UniqueConstraint(
            "mappe_id",
            "rank",
            "side",
            deferrable=True,
            initially="DEFERRED",
            name=op.f("uq_page_mappe_id_rank_side"),
        ),
    )
    op.create_index(op.f("ix_page_mappe_id"), "page", ["mappe_id"], unique=False)


def downgrade() -> None:
    """Undo it."""
    op.drop_index(op.f("ix_page_mappe_id"), table_name="page")
    op.drop_table("page")
    op.drop_table("capture")
    op.drop_index("uq_pass_mappe_live", table_name="pass", postgresql_where=sa.text("state in ('taking', 'waiting')"))
    op.drop_index("uq_pass_device_live", table_name="pass", postgresql_where=sa.text("state in ('taking', 'waiting')"))
    op.drop_table("pass")
    op.drop_table("journal_entry")
    op.drop_index(op.f("ix_filing_mappe_id"), table_name="filing")
    op.drop_table("filing")
    op.drop_table("ticket")
    op.drop_table("naming_rule")
    op.drop_table("mappe")
    op.drop_table("device")
    op.drop_table("destination")
