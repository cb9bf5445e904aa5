"""What jobs leave behind that were killed, lost or given up is ended with a message."""

from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import text
from tests.helpers import ANNA, QUICK, QUICK_GLASS, WORDS, Drawer, desk, request, scan

from papiermappe.services import destinations, filing, runs
from papiermappe.services.reconciling import reconcile
from papiermappe.store.database import Store
from papiermappe.store.models import DeliveryState, FilingState, RunState

NOW = datetime(2026, 11, 27, 9, 14, tzinfo=UTC)


def lose_jobs(store: Store, status: str | None = None) -> None:
    """Lose all jobs, or leave them in a state that nobody goes on from."""
    with store.begin() as session:
        if status is None:
            session.execute(text("delete from procrastinate_jobs"))
        else:
            session.execute(
                text("update procrastinate_jobs set status = cast(:s as procrastinate_job_status)"), {"s": status}
            )


def told(store: Store, mappe: int) -> str:
    """Return what is told of the newest run."""
    message = desk(store, mappe).runs[-1].message
    return WORDS.text(message) if message else ""


def test_what_has_its_job_is_left_alone(store: Store, mappe: int, zaunkoenig: int) -> None:
    runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    assert reconcile(store) == 0
    assert desk(store, mappe).runs[0].state is RunState.RECEIVING


@pytest.mark.parametrize("status", [None, "failed", "aborted"])
def test_a_run_without_its_job_is_ended_and_its_device_is_free(
    store: Store, mappe: int, zaunkoenig: int, status: str | None
) -> None:
    runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    lose_jobs(store, status)
    assert reconcile(store) == 1
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    assert told(store, mappe).startswith("The run was cut off and could not be taken up again. No sheet of this run")
    runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)


def test_a_glass_loop_that_waits_for_a_person_needs_no_job(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("german", where="glass")
    run = scan(store, mappe, zaunkoenig, QUICK_GLASS)
    lose_jobs(store)
    reconcile(store)
    assert desk(store, mappe).runs[0].state is RunState.WAITING
    runs.next_sheet(ANNA, store, run)
    lose_jobs(store)
    reconcile(store)
    assert "Sheet 1 is in. Lay sheet 2 on the glass again" in told(store, mappe)


def test_a_filing_without_its_job_failed_and_can_be_tried_again(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    made = request(store, mappe, destinations.add_folder(ANNA, store, "Leases", tmp_path), NOW)
    lose_jobs(store)
    reconcile(store)
    (failed,) = desk(store, mappe).filings
    assert failed.state is FilingState.FAILED
    assert failed.message is not None
    assert WORDS.text(failed.message) == "The document could not be made; the scans are safe. Try again."
    filing.try_again(ANNA, store, made)
    assert reconcile(store) == 0


def test_a_delivery_without_its_job_failed_and_can_be_tried_again(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    made = request(store, mappe, destinations.add_folder(ANNA, store, "Leases", tmp_path), NOW)
    with store.begin() as session:
        session.execute(text("update filing set state = 'made'"))
        session.execute(text("update document set sha256 = 'ab'"))
    lose_jobs(store)
    reconcile(store)
    assert desk(store, mappe).filings[0].deliveries[0].state is DeliveryState.FAILED
    filing.try_again(ANNA, store, made)
    assert desk(store, mappe).filings[0].deliveries[0].state is DeliveryState.WAITING


def test_a_page_that_could_not_be_analysed_says_so(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("german")
    scan(store, mappe, zaunkoenig)
    lose_jobs(store, "failed")
    assert reconcile(store) == 2
    for page in desk(store, mappe).pages:
        assert page.analysed
        assert [WORDS.text(warning) for warning in page.warnings] == [
            "This page could not be examined; it stays as scanned"
        ]
