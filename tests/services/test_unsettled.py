"""What will still change by itself in a Mappe, so that who files waits for it."""

import pytest
from sqlalchemy import text
from tests.helpers import ANNA, QUICK_GLASS, QUICK_ONE_SIDE, Drawer, analyse_all, desk, do, drop_jobs, scan

from papiermappe.core.operations import SetAside
from papiermappe.message import Message
from papiermappe.services import mappen, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.errors import NotFound
from papiermappe.services.unsettled import unsettled
from papiermappe.store.database import Store
from papiermappe.store.models import Mappe, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, enqueue


@pytest.fixture
def scanned(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with three fronts that nobody has examined yet."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    return mappe


def test_pages_wait_until_they_are_examined_turned_and_compared(store: Store, scanned: int) -> None:
    first, *_ = desk(store, scanned).order
    assert unsettled(ANNA, store, scanned).pages == 3
    analyse_all(store, scanned)
    drop_jobs(store, JobKind.ANALYSE, JobKind.FIND_UPRIGHT)
    found = unsettled(ANNA, store, scanned)
    assert (found.pages, found.comparing, found.is_over) == (0, True, False)
    drop_jobs(store, JobKind.COMPARE_RUN)
    assert unsettled(ANNA, store, scanned).is_over
    with store.begin() as session:
        enqueue(session, JobKind.FIND_UPRIGHT, page_id=first)
    assert unsettled(ANNA, store, scanned).pages == 1


def test_only_pages_of_the_document_count(store: Store, scanned: int) -> None:
    first, *_ = desk(store, scanned).order
    do(store, scanned, SetAside(pages=(first,)))
    assert unsettled(ANNA, store, scanned).pages == 2
    assert unsettled(ANNA, store, mappen.open_mappe(ANNA, store, "Another")).is_over


def test_what_was_given_up_is_not_waited_for(store: Store, scanned: int) -> None:
    with store.begin() as session:
        session.execute(text("update procrastinate_jobs set status = 'failed'"))
    assert unsettled(ANNA, store, scanned).is_over


def test_a_run_is_waited_for_as_long_as_it_goes_on_by_itself(store: Store, mappe: int, zaunkoenig: int) -> None:
    assert unsettled(ANNA, store, mappe).is_over
    run = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    found = unsettled(ANNA, store, mappe)
    assert (found.scanning, found.interrupted, found.is_over) == (True, False, False)
    runs.end(MACHINE, store, run, RunState.INTERRUPTED, Message(code="run_cut_off"))
    found = unsettled(ANNA, store, mappe)
    assert (found.scanning, found.interrupted, found.is_over) == (False, True, True)
    runs.dismiss(ANNA, store, run)
    assert not unsettled(ANNA, store, mappe).interrupted


def test_nobody_waits_for_the_next_sheet_on_the_glass(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("german", where="glass")
    scan(store, mappe, zaunkoenig, QUICK_GLASS)
    assert desk(store, mappe).runs[0].state is RunState.WAITING
    assert not unsettled(ANNA, store, mappe).scanning


def test_nobody_waits_for_a_camera(store: Store, mappe: int) -> None:
    with store.begin() as session:
        runs.begin(session, session.get_one(Mappe, mappe), Run(origin=RunOrigin.CAMERA, author="anna"))
    assert desk(store, mappe).runs[0].state is RunState.RECEIVING
    assert not unsettled(ANNA, store, mappe).scanning


def test_a_mappe_that_is_not_there(store: Store) -> None:
    with pytest.raises(NotFound):
        unsettled(ANNA, store, 1)
