"""Passes from the stand-in, all the way into the store; and passes that break."""

from collections.abc import Callable
from pathlib import Path
from threading import Event, Thread

import httpx
import pytest
from sqlalchemy import select
from tests.helpers import QUICK, QUICK_GLASS, QUICK_ONE_SIDE, Drawer, here, orders

from papiermappe.core.order.places import Side
from papiermappe.core.picture import DEFAULT_LIMIT_PX
from papiermappe.devices.errors import AnswerRefused, DeviceUnreachable
from papiermappe.devices.escl import EsclClient, Limits
from papiermappe.services import intake, mappen, passes
from papiermappe.services.desk import desk
from papiermappe.services.errors import NotPossible
from papiermappe.services.passes import SheetsIn, trouble_message
from papiermappe.services.pictures import look_at_page
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone, DiskFull
from papiermappe.store.models import Capture, PassState

Run = Callable[..., int]


@pytest.fixture
def run(store: Store, mappe: int, zaunkoenig: int) -> Run:
    """Begins a pass and runs it to its end, as a worker would."""

    def take(ticket: object = QUICK, limits: Limits | None = None) -> int:
        one = passes.start_pass(store, mappe, zaunkoenig, ticket)  # type: ignore[arg-type]  # a ticket
        intake.take_in(store, one, limits or Limits())
        return one

    return take


def kept(store: Store, pass_id: int) -> list[tuple[int, str]]:
    """Return sheet and side of every capture, each blob checked against its checksum."""
    with store.begin() as session:
        captures = session.scalars(select(Capture).where(Capture.pass_id == pass_id).order_by(Capture.id)).all()
    for capture in captures:
        assert sha256_of(store.blobs.get(Blobs.capture_key(capture.sha256))) == capture.sha256
    return [(capture.sheet, capture.side.value) for capture in captures]


def test_a_feeder_run_fills_the_lanes(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease", "hail")
    one = run()
    now = desk(store, mappe)
    assert now.passes[0].state is PassState.DONE
    assert kept(store, one) == [(sheet, side) for sheet in (1, 2, 3, 4) for side in ("front", "back")]
    assert [len([page for page in sheet if page]) for sheet in now.lanes] == [2, 2, 2, 2]
    assert now.history[0].text == "Pass 1: 4 sheets, 8 pages arrived"
    for page in now.pages:
        look_at_page(store, page.id, here, DEFAULT_LIMIT_PX)
    now = desk(store, mappe)
    assert {(page.width_mm, page.height_mm) for page in now.pages} == {(210, 297)}
    for page, told in zip(now.pages, drawer.truth(), strict=True):
        assert page.treatment.skew_deg == pytest.approx(told["skew_deg"], abs=0.2)
    assert now.undo is None  # what arrived is not undone


def test_one_side_after_the_other_pass(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run(QUICK_ONE_SIDE)
    drawer.lay("german")
    run(QUICK_ONE_SIDE)
    now = desk(store, mappe)
    assert [sheet[1] for sheet in now.lanes] == [None] * 4
    assert [page.pass_number for page in now.pages] == [1, 1, 1, 2]


def test_a_glass_loop(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("german", where="glass")
    one = run(QUICK_GLASS)
    assert desk(store, mappe).passes[0].state is PassState.WAITING
    drawer.lay("hail", where="glass")
    passes.next_sheet(store, one)
    with pytest.raises(NotPossible):
        passes.next_sheet(store, one)
    intake.take_in(store, one, Limits())
    passes.stop(store, one)
    assert desk(store, mappe).passes[0].state is PassState.DONE
    assert kept(store, one) == [(1, "front"), (2, "front")]


def test_stopping_keeps_what_is_in(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)

    class StoppedAfterTwo(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            if len(orders(store, mappe)) == 1:
                passes.stop(store, one)
            return super().next_page(job_url)

    intake.take_in(store, one, Limits(), StoppedAfterTwo)
    assert desk(store, mappe).passes[0].state is PassState.STOPPED
    assert kept(store, one) == [(1, "front"), (1, "back")]
    assert drawer.in_feeder() == 2


def test_a_jam_is_said_and_the_pass_goes_on(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease", "hail", "german")
    drawer.trouble(jam_at=4)
    one = run()
    broken = desk(store, mappe).passes[0]
    assert broken.state is PassState.FAILED
    assert broken.message == "Sheet 4 jammed. Sheets 1 to 3 are in. Take sheet 4 out, put it back on top, go on."
    drawer.clear()
    two = passes.go_on(store, one)
    intake.take_in(store, two, Limits())
    assert kept(store, one) + kept(store, two) == [(n, side) for n in (1, 2, 3, 4, 5) for side in ("front", "back")]
    assert len(orders(store, mappe)) == 10


def test_two_at_once_and_an_open_cover(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    drawer.trouble(double_at=2)
    run()
    message = desk(store, mappe).passes[-1].message
    assert message is not None
    assert message.startswith("Sheet 2 came together with the next one. Sheet 1 is in.")
    drawer.clear()
    drawer.trouble(cover_open=True)
    run(QUICK, Limits(busy_s=0))
    assert desk(store, mappe).passes[-1].message == "The scanner is busy, or waits for someone to look after it."


def test_an_empty_feeder_is_said(run: Run, store: Store, mappe: int) -> None:
    run()
    assert "no paper" in (desk(store, mappe).passes[0].message or "")


class Dying(EsclClient):
    """A device that answers in its own way after two pages."""

    how: Exception = DeviceUnreachable("The scanner is not reachable.")

    def next_page(self, job_url: str) -> bytes | None:
        """Deliver two pages, then fail."""
        self.delivered = getattr(self, "delivered", 0) + 1
        if self.delivered > 3:
            raise self.how
        return super().next_page(job_url)


@pytest.mark.parametrize(
    "how", [DeviceUnreachable("The scanner is not reachable."), AnswerRefused("It cannot be read.")]
)
def test_a_device_that_dies_in_the_middle_of_a_sheet(
    how: Exception, store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)
    intake.take_in(store, one, Limits(), type("Dies", (Dying,), {"how": how}))
    broken = desk(store, mappe).passes[0]
    assert broken.message is not None
    assert "Sheet 1 is in. Of sheet 2 only the front is in. Put sheet 2 and those after it back" in broken.message
    assert kept(store, one) == [(1, "front"), (1, "back"), (2, "front")]
    drawer.take_out()
    drawer.lay("lease")
    two = passes.go_on(store, one)
    now = desk(store, mappe)
    assert len(now.put_away) == 1  # the front that is taken again; it can be brought back
    intake.take_in(store, two, Limits())
    assert kept(store, two)[0] == (2, "front")


def test_a_page_too_large_ends_the_pass_by_name(run: Run, store: Store, mappe: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    run(QUICK, Limits(page_px=1000))
    message = desk(store, mappe).passes[0].message or ""
    assert "larger than the 0 megapixels" in message
    assert "No sheet of this pass is in yet." in message


def test_a_full_disk_loses_nothing(
    run: Run, store: Store, mappe: int, drawer: Drawer, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep, count = store.blobs.keep, iter(range(100))

    def full_after_two(key: str, data: bytes) -> None:
        if next(count) >= 2:
            raise DiskFull("The disk is full.")
        keep(key, data)

    drawer.lay("lease")
    monkeypatch.setattr(store.blobs, "keep", full_after_two)
    one = run()
    assert kept(store, one) == [(1, "front"), (1, "back")]
    assert (desk(store, mappe).passes[0].message or "").startswith("The disk is full. Sheet 1 is in. Put sheet 2 and")
    monkeypatch.undo()
    drawer.take_out()
    drawer.lay("lease", reversed=True)
    two = passes.go_on(store, one)
    intake.take_in(store, two, Limits())
    assert desk(store, mappe).passes[-1].state is PassState.DONE


def test_a_lost_database_is_waited_for(run: Run, store: Store, drawer: Drawer, monkeypatch: pytest.MonkeyPatch) -> None:
    keep, count = passes.keep_capture, iter(range(100))

    def away_for_a_while(*arguments: object) -> int:
        if next(count) in {1, 2}:
            raise DatabaseGone("away")
        return keep(*arguments)  # type: ignore[arg-type]  # passed through

    drawer.lay("german", "hail")
    monkeypatch.setattr(passes, "keep_capture", away_for_a_while)
    assert kept(store, run()) == [(1, "front"), (1, "back"), (2, "front"), (2, "back")]


def test_keeping_a_page_twice_keeps_it_once(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    """As when the database took it but its answer was lost."""
    drawer.lay("german")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK_ONE_SIDE)

    class Twice(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            page = super().next_page(job_url)
            if page is not None:
                picture = intake._picture(page, QUICK, Limits())
                for _ in range(2):
                    passes.keep_capture(store, one, (1, Side.FRONT), picture)
            return None

    intake.take_in(store, one, Limits(), Twice)
    assert kept(store, one) == [(1, "front")]


class Interrupted(BaseException):
    """A worker is killed."""


def leave_in_the_middle(store: Store, pass_id: int, after_pages: int, page_arrives: bool) -> None:
    """Run a pass whose worker is killed when it asks for a page: before the device gives it, or after."""

    class Killed(EsclClient):
        def next_page(self, job_url: str) -> bytes | None:
            if len(passes.read_pass(store, pass_id).captures) == after_pages:
                if page_arrives:
                    super().next_page(job_url)
                raise Interrupted
            return super().next_page(job_url)

    with pytest.raises(Interrupted):
        intake.take_in(store, pass_id, Limits(), Killed)


def test_the_next_worker_goes_on_where_no_page_was_lost(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)
    leave_in_the_middle(store, one, 3, page_arrives=False)
    intake.take_in(store, one, Limits())
    assert desk(store, mappe).passes[0].state is PassState.DONE
    assert len(kept(store, one)) == 6


def test_the_next_worker_says_so_where_a_page_was_lost(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("lease")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)
    leave_in_the_middle(store, one, 2, page_arrives=True)
    intake.take_in(store, one, Limits())
    assert desk(store, mappe).passes[0].message == (
        "The pass was cut off. Sheet 1 is in. Put sheet 2 and those after it back into the feeder, go on."
    )
    assert len(kept(store, one)) == 2


def test_a_pass_is_run_by_one_worker_at_a_time(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> None:
    drawer.lay("lease")
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)
    asked, go = Event(), Event()

    class Slow(EsclClient):
        def start(self, ticket: object) -> str:
            asked.set()
            assert go.wait(10)
            return super().start(ticket)  # type: ignore[arg-type]  # a ticket

    first = Thread(target=intake.take_in, args=(store, one, Limits(), Slow))
    first.start()
    assert asked.wait(10)
    intake.take_in(store, one, Limits())  # the second worker leaves at once
    assert kept(store, one) == []
    go.set()
    first.join()
    assert len(kept(store, one)) == 6


@pytest.mark.parametrize(
    ("so_far", "arguments", "message"),
    [
        (SheetsIn(1, 7, None), ("jammed", True, True),
         "Sheet 8 jammed. Sheets 1 to 7 are in. Take sheet 8 out, put it back on top, go on."),
        (SheetsIn(8, 2, 10), ("Gone.", True, False),
         "Gone. Sheets 8 to 9 are in. Of sheet 10 only the front is in. "
         "Put sheet 10 and those after it back into the feeder, go on."),
        (SheetsIn(1, 0, None), ("Gone.", False, False),
         "Gone. No sheet of this pass is in yet. Lay sheet 1 on the glass again and go on."),
    ],
)  # fmt: skip
def test_messages_say_what_happened_what_is_in_and_what_to_do(
    so_far: SheetsIn, arguments: tuple[str, bool, bool], message: str
) -> None:
    assert trouble_message(so_far, *arguments) == message


def test_a_scanner_that_is_gone_from_the_network(store: Store, zaunkoenig: int, drawer: Drawer, tmp_path: Path) -> None:
    drawer.lay("lease")
    drawer.trouble(gone=True)
    mappe = mappen.open_mappe(store)
    one = passes.start_pass(store, mappe, zaunkoenig, QUICK)
    for _ in range(100):  # its port closes a moment later
        try:
            httpx.get(drawer.escl("zaunkoenig") + "/ScannerStatus", trust_env=False)
        except httpx.TransportError:
            break
    intake.take_in(store, one, Limits())
    assert (desk(store, mappe).passes[0].message or "").startswith("The scanner is not reachable.")
