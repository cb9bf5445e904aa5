"""Destinations of other kinds than folders, with a form of their own; deliveries that are tried again later."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    """Add them, and this computer as one that is always there."""
    _kinds("'folder', 'object_store', 'mail', 'download'")
    op.drop_constraint(op.f("uq_destination_name"), "destination")
    op.add_column("destination", sa.Column("secret", sa.LargeBinary()))
    op.add_column("destination", sa.Column("form", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.alter_column("destination", "form", server_default=None)
    op.add_column("destination", sa.Column("removed_at", sa.DateTime(timezone=True)))
    live = sa.text("removed_at is null")
    op.create_index("uq_destination_name", "destination", ["name"], unique=True, postgresql_where=live)
    op.execute(
        "insert into destination (name, kind, settings, form)"
        " select 'This computer', 'download', '{\"kind\": \"download\"}', '{}'"
        " where not exists (select from destination where name = 'This computer')"
    )
    op.execute("update destination set settings = settings || '{\"kind\": \"folder\"}' where kind = 'folder'")
    op.add_column("delivery", sa.Column("next_try_at", sa.DateTime(timezone=True)))


def downgrade() -> None:
    """Take them away; what was delivered elsewhere than to folders is forgotten."""
    op.drop_column("delivery", "next_try_at")
    op.execute("delete from delivery using destination where destination.id = destination_id and kind <> 'folder'")
    op.execute("delete from destination where kind <> 'folder'")
    op.drop_index("uq_destination_name", "destination")
    for column in ("secret", "form", "removed_at"):
        op.drop_column("destination", column)
    op.create_unique_constraint(op.f("uq_destination_name"), "destination", ["name"])
    _kinds("'folder'")


def _kinds(listed: str) -> None:
    op.drop_constraint(op.f("ck_destination_kind"), "destination")
    op.create_check_constraint(op.f("ck_destination_kind"), "destination", f"kind in ({listed})")
