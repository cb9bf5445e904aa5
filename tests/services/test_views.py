"""What windows are told: whoever applies all changes one after the other sees what a new window sees."""

import random
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

import pytest
from tests.helpers import ANNA, BEN, Drawer, desk, do, redo, scan, undo

from papiermappe.core.operations import BringBack, Move, MoveToMappe, Nudge, SetAside, SetTone, Turn
from papiermappe.core.treatment import Tone
from papiermappe.services import mappen
from papiermappe.services.caller import Caller
from papiermappe.services.errors import ServiceError
from papiermappe.services.journal import machine_entry
from papiermappe.services.page_views import PageView
from papiermappe.services.views import mappe_changes
from papiermappe.store.database import Store
from papiermappe.store.models import Mappe, Page

STEPS = 25


@dataclass
class Window:
    """A window that only ever hears of changes."""

    caller: Caller
    cursor: int = 0
    subject: str = ""
    pages: dict[int, PageView] = field(default_factory=dict)
    history: dict[int, str] = field(default_factory=dict)
    undo: tuple[int | None, int | None] = (None, None)

    def catch_up(self, store: Store, mappe: int) -> None:
        """Apply what has changed since."""
        changes, _ = mappe_changes(self.caller, store, mappe, self.cursor)
        assert changes.cursor >= self.cursor
        self.cursor = changes.cursor
        self.subject = self.subject if changes.subject is None else changes.subject
        self.pages |= {page.id: page for page in changes.pages}
        self.pages |= {place.id: self.pages[place.id].model_copy(update=dict(place)) for place in changes.moved}
        for page in changes.gone:
            self.pages.pop(page, None)
        self.history |= {line.seq: line.message.code for line in changes.history}
        if stack := changes.undo.get(self.caller.author):
            self.undo = (stack.undo.seq if stack.undo else None, stack.redo.seq if stack.redo else None)


def test_of_pages_that_only_lie_elsewhere_no_more_than_that_is_told(store: Store, mappe: int, pages: list[int]) -> None:
    seen = desk(store, mappe).cursor
    do(store, mappe, Move(pages=(pages[0],), before=None))
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1))
    changes, rows = mappe_changes(ANNA, store, mappe, seen)
    assert [place.id for place in changes.moved] == [pages[0]]
    assert [page.id for page in changes.pages] == [row.view.id for row in rows] == [pages[1]]


def test_a_page_that_the_machine_sets_aside_is_told_whole(store: Store, mappe: int, pages: list[int]) -> None:
    seen = desk(store, mappe).cursor
    with store.begin() as session:
        held = session.get_one(Mappe, mappe)
        page = session.get_one(Page, pages[0])
        page.analysis = {**(page.analysis or {}), "turn_confidence": 0.25}  # found at the same time
        machine_entry(session, held, {pages[0]: {"set_aside": True}})
    changes, _ = mappe_changes(ANNA, store, mappe, seen)
    assert ([page.id for page in changes.pages], changes.moved) == ([pages[0]], [])


@pytest.mark.parametrize("seed", range(6))
def test_changes_add_up_to_the_whole(store: Store, mappe: int, pages: list[int], seed: int) -> None:
    chance = random.Random(seed)  # noqa: S311  # a test
    other = mappen.open_mappe(ANNA, store, "Orchard insurance")
    often, rarely = Window(ANNA), Window(BEN)
    steps: list[Callable[[Caller, list[int]], object]] = [
        lambda who, some: do(store, mappe, Turn(pages=tuple(some), quarter_turns=chance.randint(1, 3)), caller=who),
        lambda who, some: do(store, mappe, SetAside(pages=tuple(some)), caller=who),
        lambda who, some: do(store, mappe, BringBack(pages=tuple(some)), caller=who),
        lambda who, some: do(store, mappe, Move(pages=tuple(some), before=chance.choice(pages)), caller=who),
        lambda who, some: do(store, mappe, Nudge(pages=tuple(some), by=chance.choice((-1, 1))), caller=who),
        lambda who, some: do(store, mappe, SetTone(pages=tuple(some), tone=chance.choice(list(Tone))), caller=who),
        lambda who, some: do(store, mappe, MoveToMappe(pages=(some[0],), mappe=other), caller=who),
        lambda who, _: undo(store, mappe, who),
        lambda who, _: redo(store, mappe, who),
        lambda who, _: mappen.rename(who, store, mappe, f"Lease {chance.randint(1, 9)}"),
    ]
    for step in range(STEPS):
        who, some = chance.choice((ANNA, BEN)), chance.sample(pages, chance.randint(1, len(pages)))
        with suppress(ServiceError):  # what cannot be done changes nothing, which is what is looked at below
            chance.choice(steps)(who, some)
        often.catch_up(store, mappe)
        if step % 7 == 0:
            rarely.catch_up(store, mappe)
    for window in (often, rarely):
        window.catch_up(store, mappe)
        fresh = desk(store, mappe, window.caller)
        assert window.pages == {page.id: page for page in fresh.pages}
        assert window.subject == fresh.view.subject
        assert window.cursor == fresh.cursor
        stack = fresh.view.undo[window.caller.author]
        assert window.undo == (stack.undo.seq if stack.undo else None, stack.redo.seq if stack.redo else None)
        newest = {line.seq: line.message.code for line in fresh.view.history}
        assert newest.items() <= window.history.items()


def test_nothing_is_told_twice(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1))
    window = Window(ANNA)
    window.catch_up(store, mappe)
    again, rows = mappe_changes(ANNA, store, mappe, window.cursor)
    assert (again.pages, again.gone, again.runs, again.filings, again.history, again.subject) == (
        [],
        [],
        [],
        [],
        [],
        None,
    )
    assert rows == []


def test_one_change_tells_of_one_page(store: Store, mappe: int, pages: list[int]) -> None:
    before = desk(store, mappe).cursor
    do(store, mappe, Turn(pages=(pages[1],), quarter_turns=1))
    changes, _ = mappe_changes(BEN, store, mappe, before)
    assert [page.id for page in changes.pages] == [pages[1]]
    assert list(changes.undo) == [ANNA.author]  # whose undo has changed, and nobody else's
    assert [line.message.code for line in changes.history] == ["turn"]


def test_a_page_that_moves_to_another_mappe_leaves_one_and_comes_to_the_other(
    store: Store, mappe: int, pages: list[int]
) -> None:
    other = mappen.open_mappe(ANNA, store, "Orchard insurance")
    here, there = Window(ANNA), Window(ANNA)
    here.catch_up(store, mappe)
    there.catch_up(store, other)
    do(store, mappe, MoveToMappe(pages=(pages[0],), mappe=other))
    here.catch_up(store, mappe)
    there.catch_up(store, other)
    assert (sorted(here.pages), list(there.pages)) == (sorted(pages[1:]), [pages[0]])
    undo(store, mappe)
    here.catch_up(store, mappe)
    there.catch_up(store, other)
    assert (sorted(here.pages), list(there.pages)) == (sorted(pages), [])


def test_pages_that_arrive_are_told_with_their_run(
    store: Store, mappe: int, pages: list[int], zaunkoenig: int, drawer: Drawer
) -> None:
    before = desk(store, mappe).cursor
    drawer.lay("hail")
    run = scan(store, mappe, zaunkoenig)
    changes, rows = mappe_changes(ANNA, store, mappe, before)
    assert not {page.id for page in changes.pages} & set(pages)
    assert {row.view.id for row in rows} == {page.id for page in changes.pages}
    assert [told.id for told in changes.runs] == [run]
