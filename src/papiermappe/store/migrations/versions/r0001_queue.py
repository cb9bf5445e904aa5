"""The queue: the schema of procrastinate 3.10, copied beside this file."""

from pathlib import Path

from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the queue's tables and functions."""
    schema = (Path(__file__).parent / "queue_3_10.sql").read_text()
    op.get_bind().exec_driver_sql(schema.replace("%", "%%"))


def downgrade() -> None:
    """There is no way back from the first revision."""
    raise NotImplementedError
