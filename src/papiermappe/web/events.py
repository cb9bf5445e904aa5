"""Live updates: what PostgreSQL tells, handed on to every window that shows the Mappe."""

import asyncio
from collections import defaultdict
from collections.abc import AsyncIterator

import psycopg
import structlog
from starlette.concurrency import run_in_threadpool

from papiermappe.errors import PapiermappeError
from papiermappe.services.desk import desk
from papiermappe.store.database import CHANNEL, Store

log = structlog.get_logger()

QUIET_S = 15.0
TOGETHER_S = 0.08  # changes that follow one another within this time go out together
RECONNECT_S = 1.0


class Hub:
    """Listens to the database and wakes the windows.

    Args:
        database_url: of PostgreSQL.
    """

    def __init__(self, database_url: str) -> None:
        self._database_url = database_url
        self._waiting: dict[int, set[asyncio.Event]] = defaultdict(set)

    async def run(self) -> None:
        """Listen for ever; when the database was away, wake everybody afterwards."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._database_url, autocommit=True) as connection:
                    await connection.execute(f"listen {CHANNEL}")
                    self._wake_all()
                    async for told in connection.notifies():
                        self._wake(int(told.payload))
            except psycopg.OperationalError as exc:
                log.warning("the database does not answer", action="events.lost", cause=repr(exc))
                self._wake_all()
                await asyncio.sleep(RECONNECT_S)

    def subscribe(self, mappe_id: int) -> asyncio.Event:
        """Return an event that is set when something about the Mappe has changed."""
        event = asyncio.Event()
        self._waiting[mappe_id].add(event)
        return event

    def unsubscribe(self, mappe_id: int, event: asyncio.Event) -> None:
        """Forget an event."""
        self._waiting[mappe_id].discard(event)
        if not self._waiting[mappe_id]:
            del self._waiting[mappe_id]

    def _wake(self, mappe_id: int) -> None:
        for event in self._waiting.get(mappe_id, ()):
            event.set()

    def _wake_all(self) -> None:
        for mappe_id in list(self._waiting):
            self._wake(mappe_id)


async def updates(hub: Hub, store: Store, mappe_id: int, since: int) -> AsyncIterator[str]:
    """Yield a Mappe's changes as server-sent events, from entry `since` on, for as long as the window is there."""
    changed = hub.subscribe(mappe_id)
    changed.set()
    try:
        while True:
            try:
                await asyncio.wait_for(changed.wait(), QUIET_S)
            except TimeoutError:
                yield ": still here\n\n"
                continue
            await asyncio.sleep(TOGETHER_S)
            changed.clear()
            try:
                now = await run_in_threadpool(desk, store, mappe_id, since)
            except PapiermappeError as exc:
                yield f"event: trouble\ndata: {exc.message}\n\n"
                await asyncio.sleep(RECONNECT_S)
                changed.set()
                continue
            since = now.seq
            yield f"id: {now.seq}\ndata: {now.model_dump_json()}\n\n"
    finally:
        hub.unsubscribe(mappe_id, changed)
