"""The connection to PostgreSQL, and what goes with it."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from papiermappe.store.blobs import Blobs
from papiermappe.store.errors import DatabaseGone

CHANNEL = "mappe"


class Store:
    """Rows and files.

    Args:
        database_url: of PostgreSQL, `postgresql://...`.
        blobs: the files.
    """

    def __init__(self, database_url: str, blobs: Blobs) -> None:
        self.database_url = database_url
        self.blobs = blobs
        self.engine: Engine = create_engine(
            database_url.replace("postgresql://", "postgresql+psycopg://", 1),
            pool_pre_ping=True,
            pool_size=8,
            max_overflow=16,
            connect_args={"connect_timeout": 5},
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back on any error.

        Raises:
            DatabaseGone: the database does not answer.
        """
        try:
            with self._sessions.begin() as session:
                yield session
        except DBAPIError as exc:
            if isinstance(exc, OperationalError) or exc.connection_invalidated:
                raise DatabaseGone(
                    "The database does not answer. Everything that was shown as arrived is safe. It goes on by itself "
                    "when the database is back."
                ) from exc
            raise

    @contextmanager
    def sole(self, purpose: int, number: int) -> Iterator[bool]:
        """Hold a lock that no other process can have: yields whether it was free. A dead holder frees it."""
        with self.engine.connect() as connection:
            taken = connection.scalar(
                text("select pg_try_advisory_lock(:purpose, :number)"), {"purpose": purpose, "number": number}
            )
            try:
                yield bool(taken)
            finally:
                connection.invalidate()

    def close(self) -> None:
        """Give all connections back."""
        self.engine.dispose()


def tell(session: Session, mappe_id: int) -> None:
    """Tell all windows that something about a Mappe has changed, when the transaction is committed."""
    session.execute(text("select pg_notify(:channel, :mappe)"), {"channel": CHANNEL, "mappe": str(mappe_id)})


def migrate(database_url: str) -> None:
    """Bring the tables up to date. Raises DatabaseGone."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["database_url"] = database_url.replace("postgresql://", "postgresql+psycopg://", 1)
    try:
        command.upgrade(config, "head")
    except OperationalError as exc:
        raise DatabaseGone("The database does not answer. Nothing was changed; start it, then try again.") from exc
