"""The queue as workers need it, when the database goes away and comes back."""

import asyncio
from collections.abc import Callable

import psycopg
import pytest
from procrastinate.jobs import Job

from papiermappe.jobs import queue
from papiermappe.jobs.queue import TRIES, TRIES_WHILE_AWAY, ListeningConnector, TriedAgain
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services.errors import RunHeld
from papiermappe.store.errors import DatabaseGone


def execute(postgres: PrivatePostgres, statement: str) -> None:
    """Do something beside the test's database."""
    with psycopg.connect(postgres.url("postgres"), autocommit=True) as connection:
        connection.execute(statement.encode())


def disconnect_all(postgres: PrivatePostgres, name: str) -> None:
    """Cut all connections to a database."""
    with psycopg.connect(postgres.url("postgres"), autocommit=True) as connection:
        connection.execute("select pg_terminate_backend(pid) from pg_stat_activity where datname = %s", [name])


async def until(condition: Callable[[], bool], nudge: Callable[[], None]) -> None:
    """Wait for something to become true; do something again and again to have it so."""
    for _ in range(200):
        if condition():
            return
        await asyncio.to_thread(nudge)
        await asyncio.sleep(0.05)
    raise AssertionError("it did not happen in time")


@pytest.mark.anyio
async def test_a_worker_hears_of_jobs_again_when_the_database_is_back(
    database_url: str, postgres: PrivatePostgres, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(queue, "LISTEN_AGAIN_S", 0.05)
    name = database_url.rsplit("/", 1)[-1]
    heard: list[str] = []

    async def on_notification(*, channel: str, payload: str) -> None:
        heard.append(f"{channel} {payload}")

    def notify() -> None:
        with psycopg.connect(database_url, autocommit=True) as connection:
            connection.execute("notify orchard, 'apples'")

    connector = ListeningConnector(conninfo=database_url, min_size=1, max_size=2)
    await connector.open_async()
    listening = asyncio.create_task(connector.listen_notify(on_notification, ["orchard"]))
    try:
        await until(lambda: bool(heard), notify)
        await asyncio.to_thread(execute, postgres, f'alter database "{name}" with allow_connections false')
        await asyncio.to_thread(disconnect_all, postgres, name)
        await asyncio.sleep(0.5)  # it tries to listen, and cannot
        await asyncio.to_thread(execute, postgres, f'alter database "{name}" with allow_connections true')
        heard.clear()
        await until(lambda: bool(heard), notify)
    finally:
        listening.cancel()
        await connector.close_async()
    assert set(heard) == {"orchard apples"}


@pytest.mark.parametrize(
    ("fault", "tries"),
    [
        (RuntimeError("a fault of ours"), TRIES),
        (DatabaseGone("database_gone"), TRIES_WHILE_AWAY),
        (RunHeld("run_held"), TRIES_WHILE_AWAY),
    ],
)
def test_what_passes_by_itself_is_tried_longer(fault: Exception, tries: int) -> None:
    def decision(attempts: int) -> object:
        job = Job(id=1, lock=None, queueing_lock=None, task_name="make", queue="make", attempts=attempts)
        return TriedAgain().get_retry_decision(exception=fault, job=job)

    assert decision(tries - 1) is not None
    assert decision(tries) is None
