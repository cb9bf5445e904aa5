"""The state of devices: asked for once by the server, sent to every window that shows them."""

import asyncio
import contextlib
from collections import defaultdict
from collections.abc import Iterator

import structlog
from pydantic import BaseModel
from sse_starlette import ServerSentEvent
from starlette.concurrency import run_in_threadpool

from papiermappe.devices.escl import Limits
from papiermappe.devices.model import DeviceState
from papiermappe.errors import PapiermappeError
from papiermappe.services.caller import MACHINE
from papiermappe.services.devices import DeviceCard, ask_device
from papiermappe.store.database import Store
from papiermappe.words import Words

log = structlog.get_logger()

EVERY_S = 1.5

ADF_TROUBLE = frozenset({"ScannerAdfJam", "ScannerAdfMultipickDetected", "ScannerAdfMispick", "ScannerAdfHatchOpen"})

SLOW = frozenset({"device_timeout", "answer_too_slow"})
"""It is there, but takes long to answer, as one that is asleep does."""


class DeviceView(BaseModel):
    """A device as windows show it."""

    id: int
    name: str
    tone: str
    """well, busy or bad"""
    state: str
    """In words."""
    feeder: str | None
    """In words; None where there is nothing to say of it."""
    paper_loaded: bool | None
    has_feeder: bool
    has_glass: bool
    admin_url: str | None
    ready: bool


def device_view(card: DeviceCard, words: Words) -> DeviceView:
    """Return a device as windows show it."""
    state, tone = _state(card, words)
    abilities = card.abilities
    return DeviceView(
        id=card.id,
        name=card.name,
        tone=tone,
        state=state,
        feeder=_feeder(card, words),
        paper_loaded=card.status.paper_loaded if card.status else None,
        has_feeder=bool(abilities and abilities.feeder),
        has_glass=bool(abilities and abilities.glass),
        admin_url=abilities.admin_url if abilities else None,
        ready=card.ready,
    )


def _state(card: DeviceCard, words: Words) -> tuple[str, str]:
    if card.problem is not None and card.problem.code in SLOW:
        return words.value("device_state", "Asleep"), "busy"
    if card.status is None:
        return words.text(card.problem) if card.problem else words.value("device_state", "Down"), "bad"
    if card.status.adf_state in ADF_TROUBLE:
        return words.value("device_state", card.status.adf_state or ""), "bad"
    tone = {DeviceState.IDLE: "well", DeviceState.PROCESSING: "busy", DeviceState.TESTING: "busy"}
    return words.value("device_state", card.status.state.value), tone.get(card.status.state, "bad")


def _feeder(card: DeviceCard, words: Words) -> str | None:
    if card.status is None or card.abilities is None or card.abilities.feeder is None:
        return None
    code = (
        {True: "loaded", False: "empty"}.get(card.status.paper_loaded)
        if card.status.paper_loaded is not None
        else ("moving" if card.status.adf_state == "ScannerAdfProcessing" else None)
    )
    return words.value("feeder_state", code) if code else None


class DeviceWatch:
    """Polls the state of devices while a window shows them.

    Args:
        store: of the devices.
        limits: on their answers.
        words: of the windows.
    """

    def __init__(self, store: Store, limits: Limits, words: Words) -> None:
        self._store = store
        self._limits = limits
        self._words = words
        self._windows: dict[int, set[asyncio.Queue[ServerSentEvent | None]]] = defaultdict(set)
        self._tasks: dict[int, asyncio.Task[None]] = {}
        self._last: dict[int, str] = {}

    @contextlib.contextmanager
    def window(self, device_id: int | None, outbox: asyncio.Queue[ServerSentEvent | None]) -> Iterator[None]:
        """Tell a window of a device while it is there; of none where it shows none."""
        if device_id is None:
            yield
            return
        self._windows[device_id].add(outbox)
        if device_id in self._last:
            _put(outbox, self._last[device_id])
        if device_id not in self._tasks:
            self._tasks[device_id] = asyncio.create_task(self._ask_on(device_id))
        try:
            yield
        finally:
            self._windows[device_id].discard(outbox)
            if not self._windows[device_id]:
                del self._windows[device_id]
                self._tasks.pop(device_id).cancel()
                self._last.pop(device_id, None)

    async def _ask_on(self, device_id: int) -> None:
        while True:
            try:
                card = await run_in_threadpool(ask_device, MACHINE, self._store, device_id, self._limits)
                self._tell(device_id, device_view(card, self._words).model_dump_json())
            except PapiermappeError as exc:
                log.info("a device cannot be asked", action="device.ask", device_id=device_id, cause=repr(exc))
            except Exception:
                log.exception("a device cannot be asked", action="device.ask", device_id=device_id)
            await asyncio.sleep(EVERY_S)

    def _tell(self, device_id: int, view: str) -> None:
        if self._last.get(device_id) == view:
            return
        self._last[device_id] = view
        for outbox in self._windows.get(device_id, ()):
            _put(outbox, view)


def _put(outbox: asyncio.Queue[ServerSentEvent | None], view: str) -> None:
    with contextlib.suppress(asyncio.QueueFull):  # a window this far behind is dropped by its feed
        outbox.put_nowait(ServerSentEvent(view, event="device"))
