"""The end of a run is known and never guessed: every step at which a worker can die or a device can fail."""

from collections.abc import Callable
from threading import Thread

import pytest
from tests.helpers import ANNA, QUICK_GLASS, QUICK_ONE_SIDE, Drawer, desk
from tests.services.test_runs import Interrupted, kept, said

from papiermappe.devices.errors import DeviceUnreachable
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import DeviceStatus, TicketSettings
from papiermappe.services import device_jobs, receiving, runs
from papiermappe.services.receiving import LOCK_PURPOSE
from papiermappe.store.database import Store
from papiermappe.store.models import Run, RunState

Start = Callable[..., int]


@pytest.fixture
def start(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> Start:
    """Lays three sheets and begins a run that no worker has taken yet; the test is the worker."""

    def begin(ticket: TicketSettings = QUICK_ONE_SIDE) -> int:
        drawer.lay("lease", where="feeder")
        drawer.lay("hail", where="glass")
        return runs.start_run(ANNA, store, mappe, zaunkoenig, ticket)

    return begin


@pytest.fixture(autouse=True)
def impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    """Jobs settle at once on the stand-in."""
    monkeypatch.setattr(device_jobs, "SETTLES_S", 0.3)


def die(store: Store, run_id: int, client: type[EsclClient]) -> None:
    """Have a worker killed."""
    with pytest.raises(Interrupted):
        receiving.receive(store, run_id, Limits(), client)


class DiesBeforeTheJob(EsclClient):
    """The worker is killed when it has noted its intention, and the device has heard nothing."""

    def start(self, ticket: TicketSettings, area: object = None) -> str:
        """Die."""
        raise Interrupted


class DiesWithTheJob(EsclClient):
    """The worker is killed when the device has begun the job, and nobody has noted its name."""

    def start(self, ticket: TicketSettings, area: object = None) -> str:
        """Begin the job, and die."""
        super().start(ticket)
        raise Interrupted


class DiesWithThePage(EsclClient):
    """The worker is killed when the first page has left the device, and is kept nowhere."""

    def next_page(self, job_url: str) -> bytes | None:
        """Pull the page, and die."""
        super().next_page(job_url)
        raise Interrupted


class Forgetful(EsclClient):
    """A device that restarts after a page: it knows no job any more."""

    def next_page(self, job_url: str) -> bytes | None:
        """Deliver one page."""
        self.asked = getattr(self, "asked", 0) + 1
        return super().next_page(job_url) if self.asked == 1 else None

    def status(self) -> DeviceStatus:
        """Forget the jobs after that page."""
        status = super().status()
        return status.model_copy(update={"jobs": ()}) if getattr(self, "asked", 0) > 1 else status


@pytest.mark.parametrize("dies", [DiesBeforeTheJob, DiesWithTheJob])
def test_a_worker_that_dies_around_the_beginning_of_the_job_costs_nothing(
    dies: type[EsclClient], start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()
    die(store, run_id, dies)
    receiving.receive(store, run_id, Limits(busy_s=0))  # no waiting for a device that is busy with our own job
    assert desk(store, mappe).runs[0].state is RunState.DONE
    assert kept(store, run_id) == [(sheet, "front") for sheet in (1, 2, 3)]
    assert drawer.in_feeder() == 0


def test_an_own_job_that_has_taken_paper_in_already_is_ended_and_the_sheet_is_named(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()

    class TakesPaperIn(EsclClient):
        def start(self, ticket: TicketSettings, area: object = None) -> str:
            super().next_page(super().start(ticket))
            raise Interrupted

    die(store, run_id, TakesPaperIn)
    receiving.receive(store, run_id, Limits(busy_s=0))
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    assert "No sheet of this run is in yet. Put sheet 1 and those after it back into the feeder" in said(store, mappe)
    next_id = runs.continue_run(ANNA, store, run_id)
    receiving.receive(store, next_id, Limits(busy_s=0))  # the device is free again
    assert desk(store, mappe).runs[-1].state is RunState.DONE


def test_a_job_of_somebody_else_is_left_alone(start: Start, store: Store, drawer: Drawer, mappe: int) -> None:
    with EsclClient(drawer.escl("zaunkoenig"), Limits()) as other:
        drawer.lay("german")
        theirs = other.start(QUICK_ONE_SIDE)
        run_id = start()
        die(store, run_id, DiesBeforeTheJob)
        receiving.receive(store, run_id, Limits(busy_s=0))
        assert said(store, mappe) == "The scanner is busy, or needs attention."
        status = other.job_status(theirs)
    assert status is not None
    assert status.under_way


def test_a_job_begun_although_its_answer_was_lost_does_not_block_the_device(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()

    class AnswerLost(EsclClient):
        def start(self, ticket: TicketSettings, area: object = None) -> str:
            super().start(ticket)
            raise DeviceUnreachable("device_timeout")

    receiving.receive(store, run_id, Limits(), AnswerLost)
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    next_id = runs.continue_run(ANNA, store, run_id)
    receiving.receive(store, next_id, Limits(busy_s=0))
    assert desk(store, mappe).runs[-1].state is RunState.DONE


def test_a_sheet_on_the_glass_that_was_scanned_but_did_not_arrive_is_asked_for_again(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start(QUICK_GLASS)
    receiving.receive(store, run_id, Limits())
    runs.next_sheet(ANNA, store, run_id)
    die(store, run_id, DiesWithThePage)
    receiving.receive(store, run_id, Limits(busy_s=0))
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    assert said(store, mappe) == "The run was cut off. Sheet 1 is in. Lay sheet 2 on the glass again and continue."
    next_id = runs.continue_run(ANNA, store, run_id)
    receiving.receive(store, next_id, Limits(busy_s=0))
    assert kept(store, next_id) == [(2, "front")]  # counted on, not from 1 again


def test_a_device_that_has_forgotten_the_job_does_not_end_the_run_as_done(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()
    receiving.receive(store, run_id, Limits(), Forgetful)
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    assert said(store, mappe) == (
        "The scanner does not know this run any more; it may have been switched off. Sheet 1 is in. "
        "Put sheet 2 and those after it back into the feeder and continue."
    )


def test_a_device_that_has_forgotten_the_job_is_believed_where_the_count_of_a_person_agrees(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()
    with store.begin() as session:
        session.get_one(Run, run_id).expected_sheets = 3

    class ForgetsAtTheEnd(EsclClient):
        def status(self) -> DeviceStatus:
            status = super().status()
            return status if len(kept(store, run_id)) < 3 else status.model_copy(update={"jobs": ()})

    receiving.receive(store, run_id, Limits(), ForgetsAtTheEnd)
    assert desk(store, mappe).runs[0].state is RunState.DONE


def test_a_job_that_the_device_has_ended_early_does_not_end_the_run_as_done(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()

    class EndedMeanwhile(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            if kept(store, run_id):
                self.cancel(job_url)  # as the device itself does with a job that nobody has asked for in a minute
            return super().next_page(job_url)

    receiving.receive(store, run_id, Limits(), EndedMeanwhile)
    assert said(store, mappe).startswith("The scanner ended the run early. Sheet 1 is in. Put sheet 2")


def test_a_page_that_was_lost_on_the_way_does_not_end_the_run_as_done(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()

    class LosesTheLast(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            page = super().next_page(job_url)
            return super().next_page(job_url) if len(kept(store, run_id)) == 2 else page

    receiving.receive(store, run_id, Limits(), LosesTheLast)
    assert said(store, mappe).startswith(
        "The scanner scanned more than arrived here. Sheets 1 to 2 are in. Put sheet 3"
    )


@pytest.mark.parametrize(("left", "state"), [(0, RunState.DONE), (2, RunState.INTERRUPTED)])
def test_of_a_device_that_lists_no_jobs_its_own_state_tells_the_end(
    left: int, state: RunState, start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start()

    class ListsNone(EsclClient):
        def status(self) -> DeviceStatus:
            return super().status().model_copy(update={"jobs": ()})

        def next_page(self, job_url: str) -> bytes | None:
            page = super().next_page(job_url) if 3 - len(kept(store, run_id)) > left else None
            if page is None and left:
                self.cancel(job_url)
            return page or super().next_page(job_url)

    receiving.receive(store, run_id, Limits(), ListsNone)
    assert len(kept(store, run_id)) == 3 - left
    assert desk(store, mappe).runs[0].state is state


def test_an_empty_run_is_not_done(start: Start, store: Store, mappe: int, drawer: Drawer) -> None:
    run_id = start()

    class TakesNothingIn(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            drawer.take_out()
            return super().next_page(job_url)

    receiving.receive(store, run_id, Limits(), TakesNothingIn)
    assert desk(store, mappe).runs[0].state is RunState.INTERRUPTED
    assert said(store, mappe).startswith("The scanner took no paper in.")


def test_next_sheet_is_not_dropped_while_the_last_worker_is_still_leaving(
    start: Start, store: Store, mappe: int, drawer: Drawer
) -> None:
    run_id = start(QUICK_GLASS)
    receiving.receive(store, run_id, Limits())
    with store.advisory_lock(LOCK_PURPOSE, run_id) as leaving:
        assert leaving.hold()
        runs.next_sheet(ANNA, store, run_id)
        following = Thread(target=receiving.receive, args=(store, run_id, Limits()))
        following.start()
        following.join(0.3)
        assert len(kept(store, run_id)) == 1
    following.join(10)
    assert len(kept(store, run_id)) == 2
