"""Live updates: windows that fall behind, troubles that pass, and Mappen that are not there."""

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from datetime import date

import pytest
from sqlalchemy import select
from sse_starlette import ServerSentEvent
from tests.helpers import ANNA, BEN, PATIENCE_S, QUICK_ONE_SIDE, WORDS, Drawer, scan

from papiermappe.core.reading.printed import Printed
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Reach
from papiermappe.services import mappen
from papiermappe.services.caller import MACHINE
from papiermappe.services.page_cache import PageCache
from papiermappe.services.reading import record_printed
from papiermappe.services.views import mappe_changes
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone
from papiermappe.store.models import Capture
from papiermappe.web import events
from papiermappe.web.device_watch import DeviceWatch
from papiermappe.web.events import Feed, Hub
from papiermappe.web.intake_list import IntakeList

pytestmark = pytest.mark.anyio


@pytest.fixture
def feed(store: Store, mappe: int) -> Feed:
    """The changes of a Mappe."""
    return Feed(store, PageCache(), WORDS, mappe)


@pytest.fixture
async def hub(store: Store) -> AsyncIterator[Hub]:
    """A hub that listens."""
    found = Hub(
        store, PageCache(), WORDS, DeviceWatch(store, Limits(), WORDS), IntakeList(store, Reach.NOWHERE, Limits())
    )
    listening = asyncio.create_task(found.run())
    yield found
    listening.cancel()


async def following(outbox: "asyncio.Queue[ServerSentEvent | None]") -> ServerSentEvent | None:
    """Return what a window is sent next."""
    return await asyncio.wait_for(outbox.get(), PATIENCE_S)


def failing_once(fault: Exception) -> Callable[..., object]:
    """Return a `mappe_changes` that fails the first time."""
    faults = [fault]

    def changes(*arguments: object) -> object:
        if faults:
            raise faults.pop()
        return mappe_changes(*arguments)  # type: ignore[arg-type]  # passed through

    return changes


async def test_what_happens_while_a_window_catches_up_is_told(
    feed: Feed, store: Store, mappe: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first window of a Mappe: what it catches up with is read, then the Mappe is renamed."""

    def renamed_just_after(*arguments: object) -> object:
        found = mappe_changes(*arguments)  # type: ignore[arg-type]  # passed through
        monkeypatch.undo()
        mappen.rename(ANNA, store, mappe, "Renamed meanwhile")
        return found

    monkeypatch.setattr(events, "mappe_changes", renamed_just_after)
    with feed.window() as outbox:
        _, caught_up = await feed.catch_up(0, ANNA.author)
        feed.wake()
        told = str(caught_up.data)
        if "Renamed meanwhile" not in told:
            sent = await following(outbox)
            assert sent is not None
            told = str(sent.data)
    assert "Renamed meanwhile" in told


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        (DatabaseGone("database_gone"), "The database does not answer."),
        (RuntimeError("a fault of ours"), "Something went wrong"),
    ],
)
async def test_a_trouble_is_told_and_updates_go_on_after_it(
    fault: Exception, said: str, feed: Feed, store: Store, mappe: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(events, "RECONNECT_S", 0.01)
    await feed.catch_up(0, ANNA.author)
    with feed.window() as outbox:
        monkeypatch.setattr(events, "mappe_changes", failing_once(fault))
        await asyncio.to_thread(mappen.rename, ANNA, store, mappe, "Hail, Lower Meadow")
        feed.wake()
        trouble = await following(outbox)
        assert trouble is not None
        assert trouble.event == "trouble"
        assert said in str(trouble.data)
        change = await following(outbox)
        assert change is not None
        assert json.loads(str(change.data))["changes"]["subject"] == "Hail, Lower Meadow"


async def test_a_window_that_falls_behind_is_let_go_and_the_others_are_not(
    feed: Feed, store: Store, mappe: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(events, "WAITING_EVENTS", 2)
    await feed.catch_up(0, ANNA.author)
    with feed.window() as stuck, feed.window() as lively:
        for number in range(4):
            await asyncio.to_thread(mappen.rename, ANNA, store, mappe, f"Lease {number}")
            feed.wake()
            change = await following(lively)
            assert change is not None
            assert json.loads(str(change.data))["changes"]["subject"] == f"Lease {number}"
        waiting = [stuck.get_nowait() for _ in range(stuck.qsize())]
        assert waiting[-1] is None  # its stream ends, and the window reconnects and catches up
        assert len(waiting) == 2


async def test_a_window_of_a_mappe_that_is_not_there_is_told_so(hub: Hub) -> None:
    told = [event async for event in hub.events(999, 0, ANNA.author, None)]
    assert [event.event for event in told] == ["trouble"]
    assert "This Mappe is not there" in str(told[0].data)


async def test_what_is_read_while_another_window_catches_up_is_told_to_it(
    hub: Hub, store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What it catches up with holds the page that was read, but the feed has not yet heard what is printed there."""
    drawer.lay("lease")
    await asyncio.to_thread(scan, store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    with store.begin() as session:
        (capture, *_) = session.scalars(select(Capture.id))
    printed = Printed(dates=(date(2026, 3, 11),))

    def read_just_before(*arguments: object) -> object:
        if ANNA.author in arguments:  # a window catches up
            record_printed(MACHINE, store, capture, printed)
        return mappe_changes(*arguments)  # type: ignore[arg-type]  # passed through

    first = hub.events(mappe, 0, BEN.author, None)
    await anext(first)
    monkeypatch.setattr(events, "mappe_changes", read_just_before)
    window = hub.events(mappe, 0, ANNA.author, None)
    told = str((await anext(window)).data)
    if "2026-03-11" not in told:
        told = str((await asyncio.wait_for(anext(window), PATIENCE_S)).data)
    assert "2026-03-11" in told
    for one in (window, first):
        await one.aclose()  # type: ignore[attr-defined]  # an async generator


async def test_a_window_that_comes_back_gets_only_what_it_missed(hub: Hub, store: Store, mappe: int) -> None:
    window = hub.events(mappe, 0, ANNA.author, None)
    cursor = json.loads(str((await anext(window)).data))["changes"]["cursor"]
    await window.aclose()  # type: ignore[attr-defined]  # an async generator
    await asyncio.to_thread(mappen.rename, ANNA, store, mappe, "Lease Lower Meadow")
    window = hub.events(mappe, cursor, ANNA.author, None)
    missed = json.loads(str((await anext(window)).data))["changes"]
    assert missed["subject"] == "Lease Lower Meadow"
    assert missed["cursor"] > cursor
    await window.aclose()  # type: ignore[attr-defined]  # as above
    window = hub.events(mappe, missed["cursor"], ANNA.author, None)
    nothing = json.loads(str((await anext(window)).data))["changes"]
    assert "subject" not in nothing
    assert nothing["cursor"] == missed["cursor"]
    await window.aclose()  # type: ignore[attr-defined]  # as above


async def test_changes_that_come_together_are_told_together(feed: Feed, store: Store, mappe: int) -> None:
    await feed.catch_up(0, ANNA.author)
    with feed.window() as outbox:
        for number in range(5):
            mappen.rename(ANNA, store, mappe, f"Lease {number}")  # not in a thread: nothing is told in between
            feed.wake()
        change = await following(outbox)
        assert change is not None
        assert json.loads(str(change.data))["changes"]["subject"] == "Lease 4"
        await asyncio.sleep(0.2)
        assert outbox.empty()


async def test_a_change_after_a_pause_goes_out_at_once_and_those_that_follow_together(
    feed: Feed, store: Store, mappe: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(events, "TOGETHER_S", 2.0)
    await feed.catch_up(0, ANNA.author)
    subjects = []
    with feed.window() as outbox:
        for number in range(3):
            await asyncio.to_thread(mappen.rename, ANNA, store, mappe, f"Lease {number}")
            feed.wake()
            await asyncio.sleep(0.1)
        for _ in range(2):
            change = await following(outbox)
            assert change is not None
            subjects.append(json.loads(str(change.data))["changes"]["subject"])
    assert subjects == ["Lease 0", "Lease 2"]
