"""The connection to PostgreSQL, and what goes with it."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, text
from sqlalchemy.exc import DBAPIError, OperationalError, SQLAlchemyError
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
    def sole(self, purpose: int, number: int) -> Iterator["SoleLock"]:
        """Offer a lock that only one process can have at a time; given back at the end."""
        lock = SoleLock(self.engine, purpose, number)
        try:
            yield lock
        finally:
            lock.release()

    def close(self) -> None:
        """Give all connections back."""
        self.engine.dispose()


class SoleLock:
    """An advisory lock of PostgreSQL, on a connection of its own: when its holder dies, it is free.

    Args:
        engine: of the database.
        purpose: what kind of thing is locked.
        number: which one.
    """

    def __init__(self, engine: Engine, purpose: int, number: int) -> None:
        self._engine = engine
        self._key = {"purpose": purpose, "number": number}
        self._connection: Connection | None = None

    def hold(self) -> bool:
        """Take the lock, or see that it is still held; after a lost connection, try to take it again.

        Returns:
            Whether this process has it.

        Raises:
            DatabaseGone: the database does not answer.
        """
        try:
            if self._connection is not None and self._answers(self._connection):
                return True
            self._connection = self._engine.connect()
            return bool(self._connection.scalar(text("select pg_try_advisory_lock(:purpose, :number)"), self._key))
        except OperationalError as exc:
            raise DatabaseGone("The database does not answer.") from exc

    def release(self) -> None:
        """Give the lock back, with its connection."""
        if self._connection is None:
            return
        # Said outright: the server notices a closed connection only a moment later, when the next one may have asked.
        with suppress(SQLAlchemyError):
            self._connection.execute(text("select pg_advisory_unlock(:purpose, :number)"), self._key)
        self._connection.invalidate()
        self._connection.close()

    @staticmethod
    def _answers(connection: Connection) -> bool:
        try:
            connection.exec_driver_sql("select 1")
        except DBAPIError:
            return False
        return True


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
