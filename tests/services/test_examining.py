"""How many pages will still change by themselves, so that who files waits for them."""

import pytest
from sqlalchemy import text
from tests.helpers import ANNA, QUICK_ONE_SIDE, Drawer, analyse_all, desk, do, drop_jobs, scan

from papiermappe.core.operations import SetAside
from papiermappe.services import mappen
from papiermappe.services.errors import NotFound
from papiermappe.services.examining import being_examined
from papiermappe.store.database import Store
from papiermappe.store.queue import JobKind, enqueue


@pytest.fixture
def scanned(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with three fronts that nobody has examined yet."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    return mappe


def test_pages_wait_until_they_are_examined_turned_and_compared(store: Store, scanned: int) -> None:
    first, *_ = desk(store, scanned).order
    assert being_examined(ANNA, store, scanned) == 3
    analyse_all(store, scanned)
    drop_jobs(store, JobKind.ANALYSE)
    assert being_examined(ANNA, store, scanned) == 3  # all of the run are to be compared
    drop_jobs(store, JobKind.COMPARE_RUN, JobKind.FIND_UPRIGHT)
    assert being_examined(ANNA, store, scanned) == 0
    with store.begin() as session:
        enqueue(session, JobKind.FIND_UPRIGHT, page_id=first)
    assert being_examined(ANNA, store, scanned) == 1


def test_only_pages_of_the_document_count(store: Store, scanned: int) -> None:
    first, *_ = desk(store, scanned).order
    do(store, scanned, SetAside(pages=(first,)))
    assert being_examined(ANNA, store, scanned) == 2
    assert being_examined(ANNA, store, mappen.open_mappe(ANNA, store, "Another")) == 0


def test_what_was_given_up_is_not_waited_for(store: Store, scanned: int) -> None:
    with store.begin() as session:
        session.execute(text("update procrastinate_jobs set status = 'failed'"))
    assert being_examined(ANNA, store, scanned) == 0


def test_a_mappe_that_is_not_there(store: Store) -> None:
    with pytest.raises(NotFound):
        being_examined(ANNA, store, 1)
