"""One question a device, however many windows show it; told only when the answer differs."""

import asyncio
import contextlib
import json
import time
from collections.abc import Callable, Iterator

import pytest
from sse_starlette import ServerSentEvent
from tests.helpers import PATIENCE_S, WORDS

from papiermappe.devices.errors import DeviceUnreachable
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import DeviceState, DeviceStatus
from papiermappe.message import Message
from papiermappe.services.devices import DeviceCard
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.web import device_watch
from papiermappe.web.device_watch import DeviceWatch, device_view

Outbox = asyncio.Queue[ServerSentEvent | None]

pytestmark = pytest.mark.anyio


def card(state: DeviceState = DeviceState.IDLE, adf: str | None = None) -> DeviceCard:
    """Return a device in a state."""
    return DeviceCard(7, "Zaunkönig D60", None, DeviceStatus(state=state, adf_state=adf), None)


class Device:
    """Answers what a test sets, and counts how often it is asked."""

    def __init__(self) -> None:
        self.answer: DeviceCard | Exception = card()
        self.asked = 0

    def ask(self, *_: object) -> DeviceCard:
        """Answer."""
        self.asked += 1
        if isinstance(self.answer, Exception):
            raise self.answer
        return self.answer


@pytest.fixture
def device(monkeypatch: pytest.MonkeyPatch) -> Device:
    """A device that is asked a hundred times a second."""
    found = Device()
    monkeypatch.setattr(device_watch, "ask_device", found.ask)
    monkeypatch.setattr(device_watch, "EVERY_S", 0.01)
    return found


@pytest.fixture
def watch(tmp_path_factory: pytest.TempPathFactory) -> Iterator[DeviceWatch]:
    """A watch; its store is not asked."""
    store = Store("postgresql://nobody@127.0.0.1:1/none", Blobs.in_folder(tmp_path_factory.mktemp("blobs")))
    yield DeviceWatch(store, Limits(), WORDS)
    store.close()


async def told(outbox: Outbox) -> str:
    """Return the state that a window is told next."""
    event = await asyncio.wait_for(outbox.get(), PATIENCE_S)
    assert event is not None
    state: str = json.loads(str(event.data))["state"]
    return state


async def until(condition: Callable[[], bool]) -> None:
    """Wait for something to become true."""
    until_s = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < until_s, "it did not happen in time"
        await asyncio.sleep(0.005)


async def test_windows_are_told_only_when_something_changes(device: Device, watch: DeviceWatch) -> None:
    outbox: Outbox = asyncio.Queue()
    with watch.window(7, outbox):
        assert await told(outbox) == "ready"
        await until(lambda: device.asked >= 5)
        assert outbox.empty()
        device.answer = card(DeviceState.PROCESSING)
        assert await told(outbox) == "at work"


async def test_a_window_that_comes_later_is_told_at_once_what_is_known(device: Device, watch: DeviceWatch) -> None:
    first: Outbox = asyncio.Queue()
    second: Outbox = asyncio.Queue()
    with watch.window(7, first):
        await told(first)
        with watch.window(7, second):
            assert not second.empty()
            assert await told(second) == "ready"


async def test_nobody_is_asked_when_the_last_window_has_gone(device: Device, watch: DeviceWatch) -> None:
    outboxes: list[Outbox] = [asyncio.Queue(), asyncio.Queue()]
    with contextlib.ExitStack() as windows:
        windows.enter_context(watch.window(7, outboxes[0]))
        with watch.window(7, outboxes[1]):
            await told(outboxes[1])
        asked = device.asked
        await until(lambda: device.asked > asked + 1)  # one window is still there
    await asyncio.sleep(0.05)  # what was under way ends
    asked = device.asked
    await asyncio.sleep(0.1)
    assert device.asked == asked


async def test_what_is_known_is_forgotten_with_the_last_window(device: Device, watch: DeviceWatch) -> None:
    outbox: Outbox = asyncio.Queue()
    with watch.window(7, outbox):
        await told(outbox)
    device.answer = card(DeviceState.STOPPED)
    later: Outbox = asyncio.Queue()
    with watch.window(7, later):
        assert await told(later) != "ready"


@pytest.mark.parametrize("fault", [DeviceUnreachable("device_unreachable"), RuntimeError("a fault of ours")])
async def test_a_question_that_fails_is_asked_again(fault: Exception, device: Device, watch: DeviceWatch) -> None:
    device.answer = fault
    outbox: Outbox = asyncio.Queue()
    with watch.window(7, outbox):
        await until(lambda: device.asked >= 2)
        assert outbox.empty()
        device.answer = card()
        assert await told(outbox) == "ready"


async def test_a_window_that_takes_nothing_does_not_hold_up_the_others(device: Device, watch: DeviceWatch) -> None:
    stuck: Outbox = asyncio.Queue(1)
    lively: Outbox = asyncio.Queue()
    with watch.window(7, stuck), watch.window(7, lively):
        assert await told(lively) == "ready"
        device.answer = card(DeviceState.PROCESSING)
        assert await told(lively) == "at work"
    assert stuck.qsize() == 1


async def test_a_window_without_a_device_asks_nobody(device: Device, watch: DeviceWatch) -> None:
    with watch.window(None, asyncio.Queue()):
        await asyncio.sleep(0.05)
    assert device.asked == 0


@pytest.mark.parametrize(
    ("shown", "tone"),
    [
        (card(), "well"),
        (card(DeviceState.PROCESSING), "busy"),
        (card(DeviceState.TESTING), "busy"),
        (card(DeviceState.STOPPED), "bad"),
        (card(DeviceState.DOWN), "bad"),
        (card(adf="ScannerAdfJam"), "bad"),
        (card(adf="ScannerAdfHatchOpen"), "bad"),
        (card(adf="ScannerAdfEmpty"), "well"),
        (DeviceCard(7, "Zaunkönig D60", None, None, Message(code="device_unreachable")), "bad"),
        (DeviceCard(7, "Zaunkönig D60", None, None, Message(code="device_timeout")), "busy"),
        (DeviceCard(7, "Zaunkönig D60", None, None, None), "bad"),
    ],
)
async def test_the_tone_says_whether_one_can_scan(shown: DeviceCard, tone: str) -> None:
    view = device_view(shown, WORDS)
    assert view.tone == tone
    assert view.state


def test_a_device_that_takes_long_to_answer_may_be_asleep() -> None:
    view = device_view(DeviceCard(7, "Zaunkönig D60", None, None, Message(code="device_timeout")), WORDS)
    assert view.state == "no answer yet; it may be asleep"
    assert not view.ready
