"""The connection to PostgreSQL, and what goes with it."""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import TypeVar

from procrastinate.exceptions import ConnectorException
from pydantic_core import from_json
from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import DataError, DBAPIError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.pool import ConnectionPoolEntry

from papiermappe.store.blobs import Blobs
from papiermappe.store.errors import DatabaseFull, DatabaseGone, StoreError, TextRefused, TransactionLost

NO_MAPPE = 0
"""In the place of a Mappe: something about the devices or the tickets has changed."""
CHANNEL = "mappe"
LOCK_TRY_EVERY_S = 0.05
RETRY_PAUSES_S = (0.02, 0.05, 0.15, 0.4)

T = TypeVar("T")

CONNECT_S = 15
"""A busy machine may take seconds to answer; where no database is, that is known at once."""


def plan_anew(session: Session) -> None:
    """Have the database plan each question of a transaction by what it asks for.

    Of one that is asked again and again it makes one plan for all: for a rare word that is right, for one that stands
    on nearly every page it takes five times as long.
    """
    session.execute(text("set local plan_cache_mode = force_custom_plan"))


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
            hide_parameters=True,  # in messages of errors: they may be what a page says
            pool_size=4,  # each that is kept holds some 5 MB in PostgreSQL
            max_overflow=20,
            pool_use_lifo=True,  # what is used seldom stays small
            json_deserializer=from_json,  # a change of many pages spends a quarter of its time on reading JSON
            connect_args={"connect_timeout": CONNECT_S},
        )
        self._closed = False
        event.listen(self.engine, "checkin", self._given_back)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back on any error.

        Raises:
            DatabaseGone: the database does not answer.
            DatabaseFull: it has no room left.
            TransactionLost: it has broken the transaction off for another one.
        """
        try:
            with self._sessions.begin() as session:
                yield session
        except DBAPIError as exc:
            if error := _database_error(exc):
                raise error from exc
            raise
        except ConnectorException as exc:  # of the queue, whose statements go through this session's connection
            raise _queue_error(exc) from exc

    def run(self, action: Callable[[Session], T]) -> T:
        """Run an action as one transaction; where the database breaks it off for another one, run it again.

        Raises as `begin` does, and what the action raises.
        """
        for pause_s in RETRY_PAUSES_S:
            try:
                with self.begin() as session:
                    return action(session)
            except TransactionLost:
                time.sleep(pause_s)
        with self.begin() as session:
            return action(session)

    @contextmanager
    def advisory_lock(self, purpose: int, number: int) -> Iterator["AdvisoryLock"]:
        """Offer a lock that only one process can have at a time; given back at the end."""
        lock = AdvisoryLock(self.engine, purpose, number)
        try:
            yield lock
        finally:
            lock.release()

    def close(self) -> None:
        """Close all connections; one that another thread still uses is closed once that gives it back."""
        self._closed = True
        self.engine.dispose()

    def _given_back(self, connection: DBAPIConnection | None, _: ConnectionPoolEntry) -> None:
        """Close what comes back late: the pool that it belongs to is not used any more."""
        if self._closed and connection is not None:
            connection.close()


class AdvisoryLock:
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
        self._held = False

    def hold(self) -> bool:
        """Take the lock, or see that it is still held; after a lost connection, try to take it again.

        Returns:
            Whether this process has it.

        Raises:
            DatabaseGone: the database does not answer.
        """
        try:
            if self._connection is None or not self._answers(self._connection):
                self._connection, self._held = self._engine.connect(), False
            if not self._held:
                take = text("select pg_try_advisory_lock(:purpose, :number)")
                self._held = bool(self._connection.scalar(take, self._key))
        except OperationalError as exc:
            raise DatabaseGone("database_gone") from exc
        return self._held

    def wait(self, patience_s: float) -> bool:
        """Take the lock as `hold` does; where another process has it, try again until `patience_s` have passed."""
        until_s = time.monotonic() + patience_s
        while not self.hold():
            if time.monotonic() > until_s:
                return False
            time.sleep(LOCK_TRY_EVERY_S)
        return True

    def release(self) -> None:
        """Give the lock back, with its connection."""
        if self._connection is None:
            return
        # Said outright: the server notices a closed connection only a moment later, when the next one may have asked.
        with suppress(SQLAlchemyError):
            self._connection.execute(text("select pg_advisory_unlock(:purpose, :number)"), self._key)
        self._connection.invalidate()
        self._connection.close()
        self._connection, self._held = None, False

    @staticmethod
    def _answers(connection: Connection) -> bool:
        try:
            connection.exec_driver_sql("select 1")
        except DBAPIError:
            return False
        return True


def notify(session: Session, mappe_id: int) -> None:
    """Notify all windows that something about a Mappe has changed, when the transaction is committed."""
    session.execute(text("select pg_notify(:channel, :mappe)"), {"channel": CHANNEL, "mappe": str(mappe_id)})


def notify_intake(session: Session) -> None:
    """Notify all windows that a device or a ticket has come, changed or gone, when the transaction is committed."""
    notify(session, NO_MAPPE)


def _database_error(exc: DBAPIError) -> StoreError | None:
    """Return what an error of the database is to a person, by its SQLSTATE; None where it is a fault of ours."""
    state = getattr(exc.orig, "sqlstate", None) or ""
    if isinstance(exc, DataError) and state in UNTRANSLATABLE:
        return TextRefused("not_valid")
    if state.startswith("40"):  # transaction rollback: serialization failure, deadlock
        return TransactionLost("transaction_lost")
    if state.startswith("53"):  # insufficient resources: disk full, out of memory, too many connections
        return DatabaseFull("database_full")
    if isinstance(exc, OperationalError) or exc.connection_invalidated:
        return DatabaseGone("database_gone")
    return None


UNTRANSLATABLE = frozenset({"", "22P05", "22021"})
"""Of data errors: NUL in a text, which the driver refuses by itself, in JSON, and bytes that are no text."""


def _queue_error(exc: ConnectorException) -> StoreError:
    state = getattr(exc.__cause__, "sqlstate", None) or ""
    return TransactionLost("transaction_lost") if state.startswith("40") else DatabaseGone("database_gone")
