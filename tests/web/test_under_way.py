"""Pictures that are being made, and waiting for them."""

import asyncio
from collections.abc import Iterable

import pytest
from tests.helpers import PATIENCE_S

from papiermappe.store.errors import DatabaseGone
from papiermappe.web.under_way import PictureFile, UnderWay

pytestmark = pytest.mark.anyio

FIRST, SECOND = ("a", "lane"), ("b", "lane")


class Made:
    """Stands for the pictures that workers make."""

    def __init__(self) -> None:
        self.there: dict[PictureFile, bytes] = {}
        self.asked: list[tuple[PictureFile, ...]] = []
        self.first = asyncio.Event()
        self.loop = asyncio.get_running_loop()

    def __call__(self, wanted: Iterable[PictureFile]) -> dict[PictureFile, bytes]:
        self.asked.append(tuple(wanted))
        self.loop.call_soon_threadsafe(self.first.set)
        return {picture: self.there[picture] for picture in self.asked[-1] if picture in self.there}


def test_what_was_asked_for_long_ago_is_asked_for_again(monkeypatch: pytest.MonkeyPatch) -> None:
    now_s = 100.0
    monkeypatch.setattr("papiermappe.web.under_way.time.monotonic", lambda: now_s)
    under_way = UnderWay(1.5, lambda _: {})
    under_way.add([FIRST])
    assert FIRST in under_way
    assert ("a", "stage") not in under_way
    now_s = 101.6
    assert FIRST not in under_way


async def test_all_that_wait_look_together_and_each_gets_its_own() -> None:
    made = Made()
    under_way = UnderWay(1.5, made)
    waiting = [asyncio.create_task(under_way.wait(picture, PATIENCE_S)) for picture in (FIRST, SECOND, FIRST)]
    await made.first.wait()
    assert made.asked[0] == (FIRST, SECOND)
    made.there[FIRST] = b"first"
    assert await waiting[0] == b"first"
    assert await waiting[2] == b"first"
    assert not waiting[1].done()
    made.there[SECOND] = b"second"
    assert await waiting[1] == b"second"
    await asyncio.sleep(0.05)
    looks = len(made.asked)
    await asyncio.sleep(0.1)
    assert len(made.asked) == looks  # nobody waits any more


async def test_what_is_not_made_in_time_is_not_waited_for() -> None:
    made = Made()
    under_way = UnderWay(1.5, made)
    assert await under_way.wait(FIRST, 0.05) is None
    made.there[FIRST] = b"first"
    assert await under_way.wait(FIRST, PATIENCE_S) == b"first"


async def test_who_waits_is_told_of_trouble_with_the_store() -> None:
    def away(_: Iterable[PictureFile]) -> dict[PictureFile, bytes]:
        raise DatabaseGone("database_gone")

    with pytest.raises(DatabaseGone):
        await UnderWay(1.5, away).wait(FIRST, PATIENCE_S)
