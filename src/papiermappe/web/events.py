"""Live updates: what has changed of a Mappe, worked out once and handed on to every window that shows it."""

import asyncio
import contextlib
from collections.abc import AsyncIterator, Iterator

import psycopg
import structlog
from pydantic import BaseModel
from sse_starlette import ServerSentEvent
from starlette.concurrency import run_in_threadpool

from papiermappe.errors import PapiermappeError
from papiermappe.message import Message
from papiermappe.services.caller import Caller
from papiermappe.services.page_cache import PageCache
from papiermappe.services.page_views import PageRow
from papiermappe.services.printed import PrintedPage, PrintedView, printed_view
from papiermappe.services.views import MappeView, mappe_changes
from papiermappe.store.database import CHANNEL, NO_MAPPE, Store
from papiermappe.web.device_watch import DeviceWatch
from papiermappe.web.intake_list import IntakeList
from papiermappe.words import Words

log = structlog.get_logger()

SOON_S = 0.01  # a change after a pause goes out then
TOGETHER_S = 0.08  # those that follow within this time go out together
RECONNECT_S = 1.0
WAITING_EVENTS = 200  # a window further behind is dropped, and catches up when it reconnects

WINDOW = Caller("window")
"""Asks for what all windows of a Mappe are told."""

Outbox = asyncio.Queue[ServerSentEvent | None]


class MappeEvent(BaseModel):
    """What windows receive: the changes, and what is printed on the pages if that has changed."""

    changes: MappeView
    printed: PrintedView | None


class Feed:
    """The changes of one Mappe, for as long as a window shows it.

    Args:
        store: rows and files.
        pages: remembered.
        words: of the windows.
        mappe_id: of the Mappe.
    """

    def __init__(self, store: Store, pages: PageCache, words: Words, mappe_id: int) -> None:
        self._store = store
        self._pages = pages
        self._words = words
        self._mappe_id = mappe_id
        self._cursor = 0
        self._printed_pages: dict[int, PrintedPage] = {}
        self._printed = PrintedView()
        self._changed = asyncio.Event()
        self._beginning = asyncio.Lock()
        self._windows: set[Outbox] = set()
        self._task: asyncio.Task[None] | None = None

    def wake(self) -> None:
        """Have what has changed worked out."""
        self._changed.set()

    @property
    def idle(self) -> bool:
        """Whether no window is there."""
        return not self._windows

    @contextlib.contextmanager
    def window(self) -> Iterator[Outbox]:
        """Yield what is to be sent to one window while it is connected."""
        outbox: Outbox = asyncio.Queue(WAITING_EVENTS)
        self._windows.add(outbox)
        if self._task is None:
            self._task = asyncio.create_task(self._run())
        try:
            yield outbox
        finally:
            self._windows.discard(outbox)
            if self.idle and self._task:
                self._task.cancel()
                self._task = None

    async def catch_up(self, since: int, author: str) -> tuple[int, ServerSentEvent]:
        """Return what a window needs that knows everything up to `since`, and the change up to which that goes."""
        # What windows are told begins before what this one catches up with ends: nothing lies between.
        await self._begin()
        changes, _ = await run_in_threadpool(mappe_changes, WINDOW, self._store, self._mappe_id, since, author)
        # What is printed on the pages is known up to the feed's own cursor: from there on it has to be told.
        return min(changes.cursor, self._cursor), self._event(changes, self._printed)

    async def _begin(self) -> bool:
        """Begin with the Mappe as it is, unless that has been done; return whether it was done now."""
        async with self._beginning:
            if self._cursor:
                return False
            cursor, rows = await run_in_threadpool(self._pages.pages_of, WINDOW, self._store, self._mappe_id)
            self._printed_pages = {row.printed.id: row.printed for row in rows}
            self._printed = printed_view(list(self._printed_pages.values()))
            self._cursor = cursor
            return True

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        told_s = 0.0
        while True:
            await self._changed.wait()
            await asyncio.sleep(max(SOON_S, told_s + TOGETHER_S - loop.time()))
            self._changed.clear()
            told_s = loop.time()
            try:
                await self._tell()
            except PapiermappeError as exc:
                self._hand_out(_trouble(self._words, exc.message))
                await asyncio.sleep(RECONNECT_S)
                self._changed.set()
            except Exception:  # whatever it was, windows are told and it is tried again
                log.exception("changes could not be worked out", action="events.failed", mappe_id=self._mappe_id)
                self._hand_out(_trouble(self._words, Message(code="went_wrong")))
                await asyncio.sleep(RECONNECT_S)
                self._changed.set()

    async def _tell(self) -> None:
        if await self._begin():
            return
        changes, rows = await run_in_threadpool(mappe_changes, WINDOW, self._store, self._mappe_id, self._cursor)
        if changes.cursor == self._cursor:
            return
        self._cursor = changes.cursor
        printed = self._note_printed(changes, rows)
        self._hand_out(self._event(changes, printed))

    def _note_printed(self, changes: MappeView, rows: list[PageRow]) -> PrintedView | None:
        """Add pages; return what is printed on all pages if that has changed."""
        self._printed_pages.update({row.printed.id: row.printed for row in rows})
        for place in changes.moved:
            self._printed_pages[place.id] = self._printed_pages[place.id]._replace(**place.printed_place)
        for page_id in changes.gone:
            self._printed_pages.pop(page_id, None)
        now = printed_view(list(self._printed_pages.values()))
        if now == self._printed:
            return None
        self._printed = now
        return now

    def _event(self, changes: MappeView, printed: PrintedView | None) -> ServerSentEvent:
        event = MappeEvent(changes=changes, printed=printed)
        data = event.model_dump_json(context={"words": self._words}, exclude_none=True)
        return ServerSentEvent(data, event="changes", id=str(changes.cursor))

    def _hand_out(self, event: ServerSentEvent) -> None:
        for outbox in list(self._windows):
            try:
                outbox.put_nowait(event)
            except asyncio.QueueFull:
                self._windows.discard(outbox)
                outbox.get_nowait()
                outbox.put_nowait(None)


def _trouble(words: Words, message: Message) -> ServerSentEvent:
    return ServerSentEvent(words.text(message), event="trouble")


class Hub:
    """Listens to the database and feeds the windows.

    Args:
        store: rows and files.
        pages: remembered.
        words: of the windows.
        devices: asked how they are.
        intake_list: which there are.
    """

    def __init__(
        self, store: Store, pages: PageCache, words: Words, devices: DeviceWatch, intake_list: IntakeList
    ) -> None:
        self.devices = devices
        self.intake_list = intake_list
        self._store = store
        self._pages = pages
        self._words = words
        self._feeds: dict[int, Feed] = {}

    async def run(self) -> None:
        """Listen for ever; when the database was away, wake everybody afterwards."""
        while True:
            try:
                url = self._store.database_url
                async with await psycopg.AsyncConnection.connect(url, autocommit=True) as connection:
                    await connection.execute(f"listen {CHANNEL}")
                    self._wake_all()
                    async for told in connection.notifies():
                        if int(told.payload) == NO_MAPPE:
                            self.intake_list.wake()
                        elif feed := self._feeds.get(int(told.payload)):
                            feed.wake()
            except (psycopg.OperationalError, ValueError) as exc:
                log.warning("the database does not answer", action="events.lost", cause=repr(exc))
                self._wake_all()
                await asyncio.sleep(RECONNECT_S)

    async def events(
        self, mappe_id: int, since: int, author: str, device_id: int | None
    ) -> AsyncIterator[ServerSentEvent]:
        """Yield a Mappe's changes after `since`, and how a device is, for as long as the window is there."""
        feed = self._feeds.setdefault(mappe_id, Feed(self._store, self._pages, self._words, mappe_id))
        with feed.window() as outbox, self.devices.window(device_id, outbox), self.intake_list.window(outbox):
            try:
                try:
                    cursor, event = await feed.catch_up(since, author)
                except PapiermappeError as exc:
                    yield _trouble(self._words, exc.message)
                    return
                yield event
                feed.wake()
                while (waiting := await outbox.get()) is not None:
                    if waiting.event != "changes" or int(waiting.id or 0) > cursor:
                        yield waiting
            finally:
                if feed.idle:
                    self._feeds.pop(mappe_id, None)

    def _wake_all(self) -> None:
        self.intake_list.wake()
        for feed in list(self._feeds.values()):
            feed.wake()
