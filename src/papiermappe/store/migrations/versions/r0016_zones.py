"""Zones lie on the sheet, no longer on the page. No screen had offered to wipe, so there are none to carry over."""

from alembic import op

revision = "0016"
down_revision = "0015"

_HOLD_TREATMENTS = (
    ("page", "treatment"),
    ("page", "analysis"),
    ("journal_change", "before"),
    ("journal_change", "after"),
    ("filing", "pages"),
)


def upgrade() -> None:
    """Rename the empty lists; within a text of a person the quotes would be escaped."""
    for table, column in _HOLD_TREATMENTS:
        op.execute(
            f"update {table} set {column} = replace({column}::text, '\"wipes\": []', '\"zones\": []')::jsonb"  # noqa: S608 (our own names)
            f" where {column}::text like '%\"wipes\": []%'"
        )


def downgrade() -> None:
    """Zones on sheets have no place in what was before."""
    raise NotImplementedError
