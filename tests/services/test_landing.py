"""Where pages land: backs behind their fronts, before a sheet, in the place of pages that are scanned again."""

import pytest
from tests.helpers import (
    ANNA,
    QUICK,
    QUICK_GLASS,
    QUICK_ONE_SIDE,
    WORDS,
    Drawer,
    analyse_all,
    desk,
    do,
    redo,
    scan,
    undo,
)

from papiermappe.core.operations import MoveToMappe, SetAside, Turn
from papiermappe.core.order.landing import Again, BacksOrder, Before, Landing
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import TicketSettings
from papiermappe.services import mappen, receiving, runs, undoing
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.store.database import Store
from papiermappe.store.models import RunState


def scan_backs(store: Store, run: int, device: int, order: BacksOrder = BacksOrder.TURNED_PILE) -> int:
    """Scan what lies in the feeder as the backs of a run."""
    backs = runs.start_backs(ANNA, store, run, device, QUICK_ONE_SIDE, order)
    receiving.receive(store, backs, Limits())
    return backs


def scan_to(store: Store, mappe: int, device: int, landing: Landing, ticket: TicketSettings = QUICK_ONE_SIDE) -> int:
    """Scan what is in the device to a place."""
    run = runs.start_run(ANNA, store, mappe, device, ticket, landing=landing)
    receiving.receive(store, run, Limits())
    return run


def said(store: Store, mappe: int) -> str:
    """Return what is told of the newest run."""
    message = desk(store, mappe).runs[-1].message
    return WORDS.text(message) if message else ""


@pytest.mark.parametrize(
    ("order", "lanes"),
    [
        (BacksOrder.TURNED_PILE, [(1, 6), (2, 5), (3, 4)]),
        (BacksOrder.AS_LAID, [(1, 4), (2, 5), (3, 6)]),
    ],
)
def test_backs_land_behind_their_fronts(
    order: BacksOrder, lanes: list[tuple[int, int]], store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    fronts = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    drawer.lay("lease")
    scan_backs(store, fronts, zaunkoenig, order)
    now = desk(store, mappe)
    assert now.lanes == lanes
    assert (now.runs[-1].landing, now.runs[-1].to_come) == ("backs", 3)
    assert said(store, mappe) == ""


def test_other_counts_are_said_and_nothing_is_forced(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    fronts = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    drawer.lay("hail", "german")  # two sheets for three
    assert len(drawer.feeder()) == 2
    scan_backs(store, fronts, zaunkoenig)
    assert desk(store, mappe).lanes == [(1, None), (2, 5), (3, 4)]
    assert said(store, mappe) == (
        "3 fronts are in, but 2 backs came. Nothing is lost; look the pairs through at Order."
    )


@pytest.mark.parametrize(
    ("order", "lanes"),
    [
        (BacksOrder.TURNED_PILE, [(None, 6), (None, 5), (1, 4), (2, 3)]),
        (BacksOrder.AS_LAID, [(1, 3), (2, 4), (None, 5), (None, 6)]),
    ],
)
def test_more_backs_than_fronts_lie_where_fronts_are_missing(
    order: BacksOrder,
    lanes: list[tuple[int | None, int]],
    store: Store,
    mappe: int,
    zaunkoenig: int,
    drawer: Drawer,
) -> None:
    drawer.lay("hail", "german")
    fronts = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    drawer.lay("lease", "hail")
    scan_backs(store, fronts, zaunkoenig, order)
    assert desk(store, mappe).lanes == lanes


def test_backs_come_to_fronts_that_a_jam_cut_in_two_and_are_cut_in_two_themselves(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease", "hail")
    drawer.trouble(jam_at=3)
    first = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    drawer.clear()
    fronts = runs.continue_run(ANNA, store, first)
    receiving.receive(store, fronts, Limits())
    assert len(desk(store, mappe).order) == 4
    drawer.lay("lease", "hail")
    drawer.trouble(jam_at=2)
    broken = scan_backs(store, fronts, zaunkoenig)
    assert desk(store, mappe).runs[-1].state is RunState.INTERRUPTED
    drawer.clear()
    receiving.receive(store, runs.continue_run(ANNA, store, broken), Limits())
    assert desk(store, mappe).lanes == [(1, 8), (2, 7), (3, 6), (4, 5)]
    assert said(store, mappe) == ""


def test_a_back_whose_front_has_gone_lies_alone(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("hail", "german")
    fronts = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    run = runs.start_backs(ANNA, store, fronts, zaunkoenig, QUICK_ONE_SIDE, BacksOrder.AS_LAID)
    page = desk(store, mappe).pages[0].id
    do(store, mappe, MoveToMappe(pages=(page,), mappe=mappen.open_mappe(ANNA, store)))
    drawer.lay("hail", "german")
    receiving.receive(store, run, Limits())
    now = desk(store, mappe)
    assert sorted(len([side for side in sheet if side]) for sheet in now.lanes) == [1, 2]
    assert len(now.order) == 3


def test_backs_without_fronts_are_refused(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("hail")
    fronts = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    do(store, mappe, SetAside(pages=tuple(page.id for page in desk(store, mappe).pages)))
    with pytest.raises(NotPossible):
        runs.start_backs(ANNA, store, fronts, zaunkoenig, QUICK_ONE_SIDE, BacksOrder.AS_LAID)


def test_pages_go_before_a_sheet_in_their_order(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    before = desk(store, mappe).order
    drawer.lay("hail", "german")
    scan_to(store, mappe, zaunkoenig, Before(page=before[2]))
    now = desk(store, mappe)
    new = [page for page in now.order if page not in before]
    assert now.order == [*before[:2], *sorted(new), *before[2:]]
    assert len(new) == 2


def test_a_place_in_another_mappe_is_refused(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("hail")
    scan(store, mappe, zaunkoenig)
    page = desk(store, mappe).pages[0].id
    other = mappen.open_mappe(ANNA, store)
    for landing in (Before(page=page), Again(pages=(page,)), Before(page=2**31 - 1)):
        with pytest.raises(NotFound):
            scan_to(store, other, zaunkoenig, landing)


def test_a_page_scanned_again_keeps_its_place_and_undo_brings_the_old_scan_back(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    page = desk(store, mappe).pages[1]
    do(store, mappe, Turn(pages=(page.id,), quarter_turns=1))
    drawer.lay("hail")
    scan_to(store, mappe, zaunkoenig, Again(pages=(page.id,)))
    analyse_all(store, mappe)
    now = desk(store, mappe)
    assert [other.id for other in now.pages] == [1, 2, 3]
    again = now.pages[1]
    assert again.scan != page.scan
    assert now.detail(page.id).treatment.turn_origin.value != "by_hand"
    assert now.undo == "1 page scanned again"
    undo(store, mappe)
    back = desk(store, mappe)
    assert back.pages[1].scan == page.scan
    assert back.detail(page.id).treatment.turn_origin.value == "by_hand"
    analyse_all(store, mappe)
    assert desk(store, mappe).pages[1].picture == back.pages[1].picture
    redo(store, mappe)
    assert desk(store, mappe).pages[1].scan == again.scan


def test_what_somebody_did_to_the_new_scan_keeps_it(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("hail")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    page = desk(store, mappe).pages[0].id
    drawer.lay("german")
    scan_to(store, mappe, zaunkoenig, Again(pages=(page,)))
    line = desk(store, mappe).view.undo[ANNA.author].undo
    assert line is not None
    do(store, mappe, Turn(pages=(page,), quarter_turns=1))
    with pytest.raises(ChangedMeanwhile):
        undoing.undo(ANNA, store, mappe, line.seq)


def test_a_sheet_scanned_again_replaces_both_its_pages(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    before = desk(store, mappe)
    drawer.lay("hail")
    front, back = before.pages[2:4]
    scan_to(store, mappe, zaunkoenig, Again(pages=(front.id, back.id)), QUICK)
    now = desk(store, mappe)
    assert now.order == before.order
    changed = [new.id for old, new in zip(before.pages, now.pages, strict=True) if old.scan != new.scan]
    assert changed == [front.id, back.id]


def test_one_page_is_scanned_again_alone_whatever_the_ticket_says(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig)
    before = desk(store, mappe)
    drawer.lay("hail")
    scan_to(store, mappe, zaunkoenig, Again(pages=(before.pages[3].id,)), QUICK)
    assert desk(store, mappe).lanes == before.lanes


def test_more_than_is_to_be_taken_again_lands_behind_it(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    first, second, third = desk(store, mappe).order
    drawer.lay("hail", "german", "hail")
    scan_to(store, mappe, zaunkoenig, Again(pages=(first,)))
    assert desk(store, mappe).order == [first, 4, 5, second, third]
    assert said(store, mappe) == "3 of 1 counted sheets came."


def test_the_sheet_on_the_glass_is_taken_again_at_once(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("hail", where="glass")
    run = scan(store, mappe, zaunkoenig, QUICK_GLASS)
    first = desk(store, mappe).pages[0]
    drawer.lay("german", where="glass")
    runs.retake(ANNA, store, run)
    with pytest.raises(NotPossible):
        runs.retake(ANNA, store, run)
    receiving.receive(store, run, Limits())
    now = desk(store, mappe)
    assert now.order == [first.id]
    assert now.pages[0].scan != first.scan
    assert (now.runs[-1].state, now.runs[-1].sheets, now.runs[-1].retaking) == (RunState.WAITING, 1, False)
    runs.next_sheet(ANNA, store, run)
    receiving.receive(store, run, Limits())
    assert len(desk(store, mappe).order) == 2
    runs.retake(ANNA, store, run)
    receiving.receive(store, run, Limits())
    runs.retake(ANNA, store, run)
    receiving.receive(store, run, Limits())
    assert len(desk(store, mappe).order) == 2
    undo(store, mappe)
    assert len(desk(store, mappe).order) == 2
