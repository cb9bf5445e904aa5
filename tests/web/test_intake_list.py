"""What there is to choose from at the Intake: told to windows as it changes, and to those that come back."""

import asyncio
import json
from typing import Any

import pytest
from sse_starlette import ServerSentEvent
from tests.helpers import ANNA, PATIENCE_S

from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Reach, TicketSettings
from papiermappe.services import tickets
from papiermappe.store.database import Store
from papiermappe.web import intake_list
from papiermappe.web.intake_list import IntakeList

pytestmark = pytest.mark.anyio


async def told(outbox: "asyncio.Queue[ServerSentEvent | None]") -> list[Any]:
    """Return the names of the tickets that a window is told next."""
    event = await asyncio.wait_for(outbox.get(), PATIENCE_S)
    assert event is not None
    assert event.event == "intake"
    return [ticket["name"] for ticket in json.loads(str(event.data))["tickets"]]


async def test_windows_are_told_also_after_a_fault_and_when_they_come_back(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(intake_list, "TRY_AGAIN_S", 0.01)
    found = IntakeList(store, Reach.NOWHERE, Limits())
    plain, faults = found.view, iter([True])

    def faulty() -> intake_list.IntakeListView:
        if next(faults, False):
            raise KeyError("a fault of ours")
        return plain()

    monkeypatch.setattr(found, "view", faulty)
    running = asyncio.create_task(found.run())
    outbox: asyncio.Queue[ServerSentEvent | None] = asyncio.Queue()
    with found.window(outbox):
        found.wake()
        assert await told(outbox) == ["Everyday"]
    tickets.keep_ticket(ANNA, store, "Scales", TicketSettings())
    with found.window(outbox):
        assert await told(outbox) == ["Everyday"]
        found.wake()
        assert await told(outbox) == ["Everyday", "Scales"]
    found.stop()
    await running
