"""Bringing the tables up to date; apart from the connection, since only a start needs the library for it."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy.exc import OperationalError

from papiermappe.store.errors import DatabaseGone


def migrate(database_url: str, revision: str = "head") -> None:
    """Bring the tables up to date. Raises DatabaseGone."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["database_url"] = database_url.replace("postgresql://", "postgresql+psycopg://", 1)
    try:
        command.upgrade(config, revision)
    except OperationalError as exc:
        raise DatabaseGone("database_gone") from exc
