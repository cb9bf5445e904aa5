"""What there is to choose from at the Intake: tickets, devices, and devices that announce themselves.

Every window is told when it changes.
"""

import asyncio
import contextlib
from collections.abc import Iterator

import structlog
from pydantic import BaseModel
from sse_starlette import ServerSentEvent
from starlette.concurrency import run_in_threadpool

from papiermappe.devices.discovery import Discovery
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Reach, TicketSettings
from papiermappe.errors import PapiermappeError
from papiermappe.services import devices, naming_rules, tickets, watching
from papiermappe.services.caller import MACHINE
from papiermappe.store.database import Store

log = structlog.get_logger()

TRY_AGAIN_S = 2.0

Outbox = asyncio.Queue[ServerSentEvent | None]


class KnownDeviceView(BaseModel):
    """A device that has been added."""

    id: int
    name: str
    is_default: bool


class FoundDeviceView(BaseModel):
    """A device that announces itself and has not been added."""

    name: str
    address: str


class TicketView(BaseModel):
    """A ticket."""

    id: int
    name: str
    settings: TicketSettings
    is_default: bool
    naming_rule_id: int | None


class RuleName(BaseModel):
    """A naming rule."""

    id: int
    name: str


class WatchedFolderView(BaseModel):
    """A folder that is watched."""

    id: int
    path: str
    is_there: bool


class IntakeListView(BaseModel):
    """All of it, the default ticket and the default device first."""

    tickets: list[TicketView]
    rules: list[RuleName]
    """By which tickets can name documents."""
    known: list[KnownDeviceView]
    found: list[FoundDeviceView]
    folders: list[WatchedFolderView]


class IntakeList:
    """Keeps the list while the server runs.

    Args:
        store: of the devices that have been added.
        reach: where others are looked for.
        limits: on the answers of devices that have moved.
    """

    def __init__(self, store: Store, reach: Reach, limits: Limits) -> None:
        self._store = store
        self._limits = limits
        self._discovery = Discovery(reach, self._announced)
        self._windows: set[Outbox] = set()
        self._changed = asyncio.Event()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._last: IntakeListView | None = None
        self._over = False

    def view(self) -> IntakeListView:
        """Return the list as it is now."""
        announced = self._discovery.announced()
        return IntakeListView(
            tickets=[TicketView(**ticket._asdict()) for ticket in tickets.list_tickets(MACHINE, self._store)],
            rules=[RuleName(id=rule.id, name=rule.name) for rule in naming_rules.list_rules(MACHINE, self._store)],
            known=[KnownDeviceView(**device._asdict()) for device in devices.list_devices(MACHINE, self._store)],
            found=[
                FoundDeviceView(name=device.name, address=device.url)
                for device in devices.newcomers(MACHINE, self._store, announced)
            ],
            folders=[
                WatchedFolderView(id=folder.id, path=folder.path, is_there=folder.is_there)
                for folder in watching.list_folders(MACHINE, self._store)
            ],
        )

    def wake(self) -> None:
        """Have the list worked out anew; from the server's own thread."""
        self._changed.set()

    @contextlib.contextmanager
    def window(self, outbox: Outbox) -> Iterator[None]:
        """Tell a window how it is, for it may have missed something, and of changes while it is there."""
        self._windows.add(outbox)
        if self._last is not None:
            _put(outbox, self._last)
        try:
            yield
        finally:
            self._windows.discard(outbox)

    def stop(self) -> None:
        """Have `run` end when it has done what it is at: a thread with a connection cannot be cancelled."""
        self._over = True
        self._changed.set()

    async def run(self) -> None:
        """Look for devices until `stop` is called."""
        self._loop = asyncio.get_running_loop()
        await run_in_threadpool(self._discovery.start)
        try:
            while True:
                await self._changed.wait()
                self._changed.clear()
                if self._over:
                    return
                try:
                    await self._follow()
                except PapiermappeError as exc:
                    log.warning("the lists of the Intake are not up to date", action="intake.list", cause=repr(exc))
                    await self._try_again()
                except Exception:  # whatever it was, it is tried again
                    log.exception("the lists of the Intake are not up to date", action="intake.list")
                    await self._try_again()
        finally:
            self._discovery.close()

    async def _try_again(self) -> None:
        await asyncio.sleep(TRY_AGAIN_S)
        self._changed.set()

    async def _follow(self) -> None:
        announced = self._discovery.announced()
        await run_in_threadpool(devices.follow_announced, MACHINE, self._store, announced, self._limits)
        view = await run_in_threadpool(self.view)
        if view == self._last:
            return
        self._last = view
        for outbox in self._windows:
            _put(outbox, view)

    def _announced(self) -> None:
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._changed.set)


def _put(outbox: Outbox, view: IntakeListView) -> None:
    with contextlib.suppress(asyncio.QueueFull):  # a window this far behind is dropped by its feed
        outbox.put_nowait(ServerSentEvent(view.model_dump_json(), event="intake"))
