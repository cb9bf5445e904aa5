"""Passes from the stand-in, all the way into the store; and runs that break."""

from collections.abc import Callable
from pathlib import Path
from threading import Event, Thread

import httpx
import pytest
from sqlalchemy import select
from tests.helpers import ANNA, QUICK, QUICK_GLASS, QUICK_ONE_SIDE, WORDS, Drawer, analyse_all, desk

from papiermappe.core.order.places import Side
from papiermappe.devices.errors import AnswerRefused, DeviceUnreachable
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.devices.model import Source
from papiermappe.message import Message
from papiermappe.services import keeping, mappen, receiving, runs
from papiermappe.services.errors import NotPossible, RunHeld
from papiermappe.services.runs import PlaceInRun, SheetsIn, interruption
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone, DiskFull
from papiermappe.store.models import Capture, RunState

Run = Callable[..., int]


@pytest.fixture
def run(store: Store, mappe: int, zaunkoenig: int) -> Run:
    """Begins a pass and runs it to its end, as a worker would."""

    def take(ticket: object = QUICK, limits: Limits | None = None) -> int:
        run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, ticket)  # type: ignore[arg-type]  # a ticket
        receiving.receive(store, run_id, limits or Limits())
        return run_id

    return take


def said(store: Store, mappe: int) -> str:
    """Return what is told of the newest run."""
    message = desk(store, mappe).runs[-1].message
    return WORDS.text(message) if message else ""


def kept(store: Store, run_id: int) -> list[tuple[int, str]]:
    """Return sheet and side of every capture, each blob checked against its checksum."""
    with store.begin() as session:
        captures = session.scalars(select(Capture).where(Capture.run_id == run_id).order_by(Capture.id)).all()
    for capture in captures:
        assert sha256_of(store.blobs.get(Blobs.capture_key(capture.sha256))) == capture.sha256
    return [(capture.sheet or 0, str(capture.side)) for capture in captures]


def test_a_feeder_run_fills_the_lanes(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease", "hail")
    run_id = run()
    now = desk(store, mappe)
    assert now.runs[0].state is RunState.DONE
    assert kept(store, run_id) == [(sheet, side) for sheet in (1, 2, 3, 4) for side in ("front", "back")]
    assert [len([page for page in sheet if page]) for sheet in now.lanes] == [2, 2, 2, 2]
    assert now.history[0] == "Run 1: 4 sheets, 8 pages"
    analyse_all(store, mappe)
    now = desk(store, mappe)
    assert {(page.width_mm, page.height_mm) for page in now.pages} == {(210, 297)}
    for treatment, told in zip(now.treatments(), drawer.truth(), strict=True):
        assert treatment.skew_deg == pytest.approx(told["skew_deg"], abs=0.2)
    assert now.undo is None  # what arrived is not undone


def test_two_devices_at_once_fill_two_mappen(
    store: Store, mappe: int, zaunkoenig: int, stieglitz: int, drawer: Drawer
) -> None:
    other = mappen.open_mappe(ANNA, store, "Minutes")
    drawer.lay("hail", "invoice")
    drawer.lay("lease", into="stieglitz")
    both = [
        runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK),
        runs.start_run(ANNA, store, other, stieglitz, QUICK_ONE_SIDE),
    ]
    working = [Thread(target=receiving.receive, args=(store, run_id, Limits())) for run_id in both]
    for thread in working:
        thread.start()
    for thread in working:
        thread.join()
    assert [desk(store, where).runs[0].state for where in (mappe, other)] == [RunState.DONE, RunState.DONE]
    assert kept(store, both[0]) == [(sheet, side) for sheet in (1, 2) for side in ("front", "back")]
    assert kept(store, both[1]) == [(sheet, "front") for sheet in (1, 2, 3)]  # a lease has three sheets


def test_one_side_after_the_other_pass(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run(QUICK_ONE_SIDE)
    drawer.lay("german")
    run(QUICK_ONE_SIDE)
    now = desk(store, mappe)
    assert [sheet[1] for sheet in now.lanes] == [None] * 4
    assert [now.detail(page.id).run for page in now.pages] == [1, 1, 1, 2]


def test_a_glass_loop(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("german", where="glass")
    run_id = run(QUICK_GLASS)
    assert desk(store, mappe).runs[0].state is RunState.WAITING
    drawer.lay("hail", where="glass")
    runs.next_sheet(ANNA, store, run_id)
    with pytest.raises(NotPossible):
        runs.next_sheet(ANNA, store, run_id)
    receiving.receive(store, run_id, Limits())
    runs.stop(ANNA, store, run_id)
    assert desk(store, mappe).runs[0].state is RunState.DONE
    assert kept(store, run_id) == [(1, "front"), (2, "front")]


def test_stopping_keeps_what_is_in(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)

    class StoppedAfterTwo(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            if len(desk(store, mappe).order) == 1:
                runs.stop(ANNA, store, run_id)
            return super().next_page(job_url)

    receiving.receive(store, run_id, Limits(), StoppedAfterTwo)
    assert desk(store, mappe).runs[0].state is RunState.STOPPED
    assert kept(store, run_id) == [(1, "front"), (1, "back")]
    assert drawer.in_feeder() == 2


def test_a_sheet_whose_front_is_in_gets_its_back_before_the_run_stops(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)

    class StoppedBetweenSides(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            page = super().next_page(job_url)
            if len(desk(store, mappe).order) == 2:  # sheet 2's front is about to be kept
                runs.stop(ANNA, store, run_id)
            return page

    receiving.receive(store, run_id, Limits(), StoppedBetweenSides)
    assert desk(store, mappe).runs[0].state is RunState.STOPPED
    assert kept(store, run_id) == [(1, "front"), (1, "back"), (2, "front"), (2, "back")]
    assert drawer.in_feeder() == 1


def test_a_jam_is_said_and_the_pass_goes_on(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease", "hail", "german")
    drawer.trouble(jam_at=4)
    run_id = run()
    broken = desk(store, mappe).runs[0]
    assert broken.state is RunState.INTERRUPTED
    assert said(store, mappe) == (
        "Sheet 4 is jammed. Sheets 1 to 3 are in. Take sheet 4 out, put it back on top and continue."
    )
    drawer.clear()
    next_id = runs.continue_run(ANNA, store, run_id)
    receiving.receive(store, next_id, Limits())
    assert kept(store, run_id) + kept(store, next_id) == [
        (n, side) for n in (1, 2, 3, 4, 5) for side in ("front", "back")
    ]
    assert len(desk(store, mappe).order) == 10


def test_two_at_once_and_an_open_cover(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    drawer.trouble(double_at=2)
    run()
    assert said(store, mappe).startswith("Sheet 2 came together with the next one. Sheet 1 is in.")
    drawer.clear()
    drawer.trouble(cover_open=True)
    run(QUICK, Limits(busy_s=0))
    assert said(store, mappe) == "The scanner is busy, or needs attention."


def test_an_empty_feeder_is_said(run: Run, store: Store, mappe: int) -> None:
    run()
    assert "no paper" in said(store, mappe)


class Dying(EsclClient):
    """A device that answers in its own way after two pages."""

    how: Exception = DeviceUnreachable("device_unreachable")

    def next_page(self, job_url: str) -> bytes | None:
        """Deliver two pages, then fail."""
        self.delivered = getattr(self, "delivered", 0) + 1
        if self.delivered > 3:
            raise self.how
        return super().next_page(job_url)


@pytest.mark.parametrize("how", [DeviceUnreachable("device_unreachable"), AnswerRefused("answer_unreadable")])
def test_a_device_that_dies_in_the_middle_of_a_sheet(
    how: Exception, store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    receiving.receive(store, run_id, Limits(), type("Dies", (Dying,), {"how": how}))
    assert "Sheet 1 is in. Of sheet 2 only the front is in. Put sheet 2 and those after it back" in said(store, mappe)
    assert kept(store, run_id) == [(1, "front"), (1, "back"), (2, "front")]
    drawer.take_out()
    drawer.lay("lease")
    next_id = runs.continue_run(ANNA, store, run_id)
    now = desk(store, mappe)
    assert len(now.set_aside) == 1  # the front that is taken again; it can be brought back
    receiving.receive(store, next_id, Limits())
    assert kept(store, next_id)[0] == (2, "front")


def test_a_page_too_large_ends_the_pass_by_name(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run(QUICK, Limits(page_px=1000))
    assert "larger than 0 megapixels" in said(store, mappe)
    assert "No sheet of this run is in yet." in said(store, mappe)


def test_a_full_disk_loses_nothing(
    run: Run, store: Store, mappe: int, drawer: Drawer, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep, count = store.blobs.keep, iter(range(100))

    def full_after_two(key: str, data: bytes) -> None:
        if next(count) >= 2:
            raise DiskFull("disk_full")
        keep(key, data)

    drawer.lay("lease")
    monkeypatch.setattr(store.blobs, "keep", full_after_two)
    run_id = run()
    assert kept(store, run_id) == [(1, "front"), (1, "back")]
    assert said(store, mappe).startswith("The disk is full. What has arrived is safe: make room. Sheet 1 is in. Put")
    monkeypatch.undo()
    drawer.take_out()
    drawer.lay("lease", reversed=True)
    next_id = runs.continue_run(ANNA, store, run_id)
    receiving.receive(store, next_id, Limits())
    assert desk(store, mappe).runs[-1].state is RunState.DONE


def test_a_lost_database_is_waited_for(run: Run, store: Store, drawer: Drawer, monkeypatch: pytest.MonkeyPatch) -> None:
    keep, count = keeping.keep_capture, iter(range(100))

    def away_for_a_while(*arguments: object) -> int:
        if next(count) in {1, 2}:
            raise DatabaseGone("database_gone")
        return keep(*arguments)  # type: ignore[arg-type]  # passed through

    drawer.lay("german", "hail")
    monkeypatch.setattr(keeping, "keep_capture", away_for_a_while)
    assert kept(store, run()) == [(1, "front"), (1, "back"), (2, "front"), (2, "back")]


def test_keeping_a_page_twice_keeps_it_once(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    """As when the database took it but its answer was lost."""
    drawer.lay("german")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK_ONE_SIDE)

    class Twice(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            page = super().next_page(job_url)
            if page is not None:
                picture = receiving._picture(page, QUICK, Limits())
                for _ in range(2):
                    keeping.keep_capture(store, run_id, PlaceInRun(1, Side.FRONT, 1), picture)
            return None

    receiving.receive(store, run_id, Limits(), Twice)
    assert kept(store, run_id) == [(1, "front")]


class Interrupted(BaseException):
    """A worker is killed."""


def leave_in_the_middle(store: Store, run_id: int, after_pages: int, page_arrives: bool) -> None:
    """Run a pass whose worker is killed when it asks for a page: before the device gives it, or after."""

    class Killed(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            if len(kept(store, run_id)) == after_pages:
                if page_arrives:
                    super().next_page(job_url)
                raise Interrupted
            return super().next_page(job_url)

    with pytest.raises(Interrupted):
        receiving.receive(store, run_id, Limits(), Killed)


def test_the_next_worker_goes_on_where_no_page_was_lost(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    leave_in_the_middle(store, run_id, 3, page_arrives=False)
    receiving.receive(store, run_id, Limits())
    assert desk(store, mappe).runs[0].state is RunState.DONE
    assert len(kept(store, run_id)) == 6


def test_the_next_worker_says_so_where_a_page_was_lost(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    leave_in_the_middle(store, run_id, 2, page_arrives=True)
    receiving.receive(store, run_id, Limits())
    assert said(store, mappe) == (
        "The run was cut off. Sheet 1 is in. Put sheet 2 and those after it back into the feeder and continue."
    )
    assert len(kept(store, run_id)) == 2


def test_a_pass_is_run_by_one_worker_at_a_time(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    asked, go = Event(), Event()

    class Slow(EsclClient):
        def start(self, ticket: object, area: object = None) -> str:
            asked.set()
            assert go.wait(10)
            return super().start(ticket)  # type: ignore[arg-type]  # a ticket

    first = Thread(target=receiving.receive, args=(store, run_id, Limits(), Slow))
    first.start()
    assert asked.wait(10)
    with pytest.raises(RunHeld):
        receiving.receive(store, run_id, Limits())  # the second worker does nothing, and tries again later
    assert kept(store, run_id) == []
    go.set()
    first.join()
    assert len(kept(store, run_id)) == 6


@pytest.mark.parametrize(
    ("so_far", "cause", "source", "message"),
    [
        (SheetsIn(1, 7, None), "sheet_jammed", Source.FEEDER,
         "Sheet 8 is jammed. Sheets 1 to 7 are in. Take sheet 8 out, put it back on top and continue."),
        (SheetsIn(8, 2, 10), "device_timeout", Source.FEEDER,
         "The scanner does not answer in time. Sheets 8 to 9 are in. Of sheet 10 only the front is in. "
         "Put sheet 10 and those after it back into the feeder and continue."),
        (SheetsIn(1, 0, None), "device_timeout", Source.GLASS,
         "The scanner does not answer in time. No sheet of this run is in yet. "
         "Lay sheet 1 on the glass again and continue."),
    ],
)  # fmt: skip
def test_messages_say_what_happened_what_is_in_and_what_to_do(
    so_far: SheetsIn, cause: str, source: Source, message: str
) -> None:
    told = interruption(so_far, Message(code=cause), source, stuck=cause == "sheet_jammed")
    assert WORDS.text(told) == message


def test_a_scanner_that_is_gone_from_the_network(store: Store, zaunkoenig: int, drawer: Drawer, tmp_path: Path) -> None:
    drawer.lay("lease")
    drawer.trouble(gone=True)
    mappe = mappen.open_mappe(ANNA, store)
    run_id = runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    for _ in range(100):  # its port closes a moment later
        try:
            httpx.get(drawer.escl("zaunkoenig") + "/ScannerStatus", trust_env=False)
        except httpx.TransportError:
            break
    receiving.receive(store, run_id, Limits())
    assert said(store, mappe).startswith("The scanner is not reachable.")
