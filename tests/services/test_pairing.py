"""Fronts and backs put together: proposed on request, and done by itself where that is sure."""

import pytest
from sqlalchemy import text
from tests.helpers import ANNA, QUICK, QUICK_ONE_SIDE, WORDS, Drawer, analyse_all, desk, do, here, scan, undo

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import Nudge, SetAside
from papiermappe.core.order.landing import BacksOrder
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import TicketSettings
from papiermappe.services import comparing, pairing, pairing_by_itself, receiving, runs
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.imprints import imprint_key, imprint_of_page
from papiermappe.services.pages import analysis_of
from papiermappe.services.pairing import PairingProposed, PartsToPair, RunsToPair
from papiermappe.store.database import Store
from papiermappe.store.models import Page

PAPERS = ("lease", "delivery-118", "hail")  # five sheets, each with something on both sides


@pytest.fixture
def fronts(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """Five fronts; return their run."""
    drawer.lay(*PAPERS)
    run = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    return run


def scan_backs(
    store: Store,
    mappe: int,
    device: int,
    fronts: int,
    order: BacksOrder = BacksOrder.TURNED_PILE,
    ticket: TicketSettings = QUICK_ONE_SIDE,
) -> int:
    """Scan what lies in the feeder as the backs of a run."""
    backs = runs.start_backs(ANNA, store, fronts, device, ticket, order)
    receiving.receive(store, backs, Limits())
    analyse_all(store, mappe)
    return backs


def ends_paired(store: Store, run: int) -> None:
    """Do what the job does that begins when all pages of a run have been examined."""
    pairing_by_itself.pair_by_itself(store, run, here, DEFAULT_LIMIT_PX)


def proposed(store: Store, mappe: int, fronts: int = 1, backs: int = 2) -> PairingProposed:
    """Have a proposal worked out for two runs; return it."""
    return worked_out(store, mappe, RunsToPair(fronts=fronts, backs=backs))


def worked_out(store: Store, mappe: int, wanted: RunsToPair | PartsToPair) -> PairingProposed:
    """Have a proposal worked out as a worker does; return it."""
    name = pairing.request_pairing(ANNA, store, mappe, wanted)
    assert pairing.proposed(ANNA, store, mappe, name) is None
    with store.begin() as session:
        job = session.scalars(text("select args from procrastinate_jobs where task_name = 'pair' order by id")).all()[
            -1
        ]
    pairing.pair(store, mappe, job["name"], job["fronts"], job["backs"], None, here, DEFAULT_LIMIT_PX)
    found = pairing.proposed(ANNA, store, mappe, name)
    assert found is not None
    return found


def told(store: Store, mappe: int) -> str | None:
    """Return what is told of pairing the newest run."""
    message = desk(store, mappe).runs[-1].pairing
    return WORDS.text(message) if message else None


def test_a_pile_that_lies_as_it_was_said_to_is_confirmed(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    run = scan_backs(store, mappe, zaunkoenig, fronts)
    before = desk(store, mappe)
    ends_paired(store, run)
    now = desk(store, mappe)
    assert now.lanes == before.lanes
    assert told(store, mappe) == "Run 2: 5 sheets, each back with its front"
    assert now.undo is None


def test_backs_in_the_other_order_are_put_right_by_themselves_and_one_undo_takes_it_back(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True)  # first sheet first, though the pile was said to be turned over
    run = scan_backs(store, mappe, zaunkoenig, fronts)
    wrong = desk(store, mappe).lanes
    ends_paired(store, run)
    now = desk(store, mappe)
    first = now.order[:1] + [page.id for page in now.pages if now.detail(page.id).run == 2][:1]
    assert now.lanes[0] == tuple(first)
    assert [now.detail(back or 0).sheet for _, back in now.lanes] == [1, 2, 3, 4, 5]
    assert now.history[0] == "4 pages laid to their other sides"
    undo(store, mappe)
    assert desk(store, mappe).lanes == wrong


def test_where_the_ticket_says_so_backs_stay_as_they_came_and_it_is_said_what_to_do(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True)  # first sheet first, though the pile was said to be turned over
    ticket = QUICK_ONE_SIDE.model_copy(update={"pair_backs": False})
    run = scan_backs(store, mappe, zaunkoenig, fronts, ticket=ticket)
    came = desk(store, mappe).lanes
    ends_paired(store, run)
    assert desk(store, mappe).lanes == came
    assert told(store, mappe) == (
        "It is clear which backs of run 2 belong to which fronts; they were left where they lay. "
        "Lay them together at Order."
    )


def test_a_back_that_was_missed_leaves_its_place_empty(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    pile = drawer.feeder()
    drawer.take_out()
    for sheet in (*pile[:3], *pile[4:]):  # the fourth from the top was missed: the back of sheet 2
        drawer.lay_sheet("zaunkoenig", sheet)
    run = scan_backs(store, mappe, zaunkoenig, fronts)
    ends_paired(store, run)
    now = desk(store, mappe)
    assert [back is not None for _, back in now.lanes] == [True, False, True, True, True]


def test_what_a_person_has_moved_stays(store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer) -> None:
    drawer.lay(*PAPERS, turned_over=True)
    run = scan_backs(store, mappe, zaunkoenig, fronts)
    do(store, mappe, Nudge(pages=(desk(store, mappe).order[-1],), by=-1))
    by_hand = desk(store, mappe).lanes
    ends_paired(store, run)
    assert desk(store, mappe).lanes == by_hand
    assert "left where they lay" in (told(store, mappe) or "")


def test_any_two_runs_can_be_paired_and_the_evidence_is_told(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)  # not said to be backs: they lie behind the fronts
    analyse_all(store, mappe)
    found = proposed(store, mappe)
    assert found.sure
    assert found.backs_order is BacksOrder.TURNED_PILE
    first = next(
        pair for pair in found.near if pair.front == found.sheets[0].front and pair.back == found.sheets[0].back
    )
    assert "each side shows through on the other" in [WORDS.text(said) for said in first.evidence]
    do(store, mappe, found.operation())
    now = desk(store, mappe)
    assert len(now.lanes) == 5
    assert all(front and back for front, back in now.lanes)
    undo(store, mappe)
    assert len(desk(store, mappe).lanes) == 10


def test_backs_that_came_before_the_fronts(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    found = proposed(store, mappe, fronts=2, backs=1)
    do(store, mappe, found.operation())
    assert all(front and back for front, back in desk(store, mappe).lanes)


def test_pages_of_one_run_that_are_all_fronts_and_then_all_backs_can_be_paired(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS)
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    pages = tuple(desk(store, mappe).order)
    found = worked_out(store, mappe, PartsToPair(pages=pages, front_count=5))
    assert found.backs_order is BacksOrder.TURNED_PILE
    assert [(sheet.front, sheet.back) for sheet in found.sheets] == list(zip(pages[:5], pages[:4:-1], strict=True))
    with pytest.raises(NotPossible, match="pairing_no_backs"):
        pairing.request_pairing(ANNA, store, mappe, PartsToPair(pages=pages, front_count=10))
    with pytest.raises(NotPossible, match="pairing_pages_left"):
        pairing.request_pairing(ANNA, store, mappe, PartsToPair(pages=(*pages, 99999), front_count=5))


def test_what_cannot_be_paired_is_said(store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer) -> None:
    with pytest.raises(NotPossible, match="pairing_same_run"):
        pairing.request_pairing(ANNA, store, mappe, RunsToPair(fronts=1, backs=1))
    with pytest.raises(NotPossible, match="pairing_no_run"):
        pairing.request_pairing(ANNA, store, mappe, RunsToPair(fronts=1, backs=9))
    with pytest.raises(NotFound):
        pairing.proposed(ANNA, store, 999, "0" * 32)
    drawer.lay("german")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    do(store, mappe, SetAside(pages=(desk(store, mappe).order[-1],)))
    with pytest.raises(NotPossible, match="pairing_empty"):
        pairing.request_pairing(ANNA, store, mappe, RunsToPair(fronts=1, backs=2))


def test_a_page_set_aside_by_a_person_is_left_out_of_the_pile(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    drawer.lay(*PAPERS, turned_over=True, reversed=True)
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    aside = desk(store, mappe).order[2]
    do(store, mappe, SetAside(pages=(aside,)))
    found = proposed(store, mappe)
    assert aside not in found.fronts
    assert [sheet.step for sheet in found.sheets].count("back_alone") == 1


def test_a_two_sided_run_is_not_laid_anew_by_itself(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run = scan(store, mappe, zaunkoenig, QUICK)
    analyse_all(store, mappe)
    ends_paired(store, run)
    assert told(store, mappe) is None


def test_a_sheet_that_was_fed_twice_is_pointed_out_and_another_form_is_not(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease", "delivery-118", "delivery-119")
    pile = drawer.feeder()
    drawer.lay_sheet("zaunkoenig", {**pile[-1], "seed": 99})  # the last delivery note once more, fed otherwise
    run = scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    comparing.compare_run(store, run, here, DEFAULT_LIMIT_PX)
    said = [[WORDS.text(warning) for warning in page.warnings] for page in desk(store, mappe).pages]
    again = "The same as the page before it: perhaps it was scanned twice"
    assert [again in warnings for warnings in said] == [False] * (len(said) - 1) + [True]
    comparing.compare_run(store, run, here, DEFAULT_LIMIT_PX)
    assert [warning.code for warning in desk(store, mappe).pages[-1].warnings].count("finding_same_again") == 1


def test_an_imprint_that_is_torn_is_made_again(
    store: Store, mappe: int, zaunkoenig: int, fronts: int, drawer: Drawer
) -> None:
    with store.begin() as session:
        page = session.get_one(Page, desk(store, mappe).order[0])
        analysis = analysis_of(page)
        assert analysis is not None
        key = imprint_key(page.capture.sha256, analysis.treatment)
        whole = store.blobs.cached(key)
        assert whole is not None
        store.blobs.cache(key, whole[: len(whole) // 2])
        again = imprint_of_page(store, page, here, DEFAULT_LIMIT_PX)
    assert again is not None
    assert again.to_bytes() == whole
    assert store.blobs.cached(key) == whole
