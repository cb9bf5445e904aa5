"""Runs, and the captures they bring in.

A capture is on disk and its row committed before the device is asked for the next page.
"""

from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.operations import SetAside
from papiermappe.core.order.places import Side
from papiermappe.core.pages import page_jpeg
from papiermappe.core.picture import CapturedPicture, PictureHead
from papiermappe.core.treatment import Treatment
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import run_changed
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.journal import machine_entry
from papiermappe.services.pages import page_states
from papiermappe.services.pictures import PictureSize
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Mappe, Page, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, enqueue


@dataclass(frozen=True)
class SheetsIn:
    """What a run has brought in so far."""

    first: int
    complete: int
    half: int | None
    """The sheet of which only the front is in, of two sides."""

    @property
    def next(self) -> int:
        """The sheet to put in first when continuing."""
        return self.first + self.complete


@transaction
def start_run(
    caller: Caller,
    session: Session,
    mappe_id: int,
    device_id: int,
    ticket: TicketSettings,
    expected_sheets: int | None = None,
) -> int:
    """Begin a run; a worker receives the pages.

    Args:
        caller: who begins it.
        session: of the transaction.
        mappe_id: that the pages go into.
        device_id: the scanner.
        ticket: its settings.
        expected_sheets: how many the person has counted; a glass loop ends by itself when they are in.

    Raises:
        NotFound: there is no such Mappe or device.
        NotPossible: the device or the Mappe has a run already.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    return _begin(session, mappe, device_id, ticket, 1, expected_sheets)


def _begin(
    session: Session, mappe: Mappe, device_id: int, ticket: TicketSettings, first_sheet: int, expected: int | None
) -> int:
    number = (session.scalar(select(func.max(Run.number)).where(Run.mappe_id == mappe.id)) or 0) + 1
    run = Run(
        mappe_id=mappe.id,
        number=number,
        origin=RunOrigin.SCANNER,
        device_id=device_id,
        ticket=ticket.model_dump(mode="json"),
        first_sheet=first_sheet,
        expected_sheets=expected,
        state=RunState.RECEIVING,
    )
    session.add(run)
    try:
        session.flush()
    except IntegrityError as exc:
        if "_live" in str(getattr(getattr(exc.orig, "diag", None), "constraint_name", "")):
            raise NotPossible("run_already") from exc
        raise
    for earlier in session.scalars(select(Run).where(Run.mappe_id == mappe.id, Run.state == RunState.INTERRUPTED)):
        if not earlier.dismissed:  # it has been decided how it ends: continued by this run, or without the rest
            earlier.dismissed = True
            run_changed(session, mappe, earlier)
    run_changed(session, mappe, run)
    enqueue(session, JobKind.RECEIVE, run_id=run.id)
    return run.id


@transaction
def continue_run(caller: Caller, session: Session, run_id: int) -> int:
    """Continue after a run that was interrupted: its half sheet is set aside, the new run counts on.

    Returns:
        The new run.

    Raises:
        NotFound: there is no such run.
        NotPossible: it was not interrupted, or another run has begun.
    """
    broken, mappe = _locked_run(caller, session, run_id)
    if broken.state is not RunState.INTERRUPTED:
        raise NotPossible("run_not_interrupted")
    ticket = TicketSettings.model_validate(broken.ticket)
    so_far = sheets_in(session, broken)
    assert broken.device_id is not None  # noqa: S101 (a CHECK of the table: runs of scanners have a device)
    to_come = broken.expected_sheets - so_far.complete if broken.expected_sheets else 0
    continued = _begin(session, mappe, broken.device_id, ticket, so_far.next, to_come if to_come > 0 else None)
    if so_far.half is not None:
        _set_half_aside(session, mappe, broken, so_far.half)
    return continued


def _set_half_aside(session: Session, mappe: Mappe, run: Run, sheet: int) -> None:
    halves = select(Page).join(Page.capture).where(Capture.run_id == run.id, Capture.sheet == sheet, ~Page.set_aside)
    pages = [page for page in session.scalars(halves) if page.mappe_id == mappe.id]
    if pages:
        changes = SetAside(pages=tuple(page.id for page in pages)).apply(page_states(pages))
        machine_entry(session, mappe, changes, Message(code="half_sheet_set_aside", params={"sheet": sheet}))


@transaction
def dismiss(caller: Caller, session: Session, run_id: int) -> None:
    """Finish an interrupted run without the rest."""
    run, mappe = _locked_run(caller, session, run_id)
    run.dismissed = True
    run_changed(session, mappe, run)


@transaction
def next_sheet(caller: Caller, session: Session, run_id: int) -> None:
    """Scan the next sheet from the glass."""
    run, mappe = _locked_run(caller, session, run_id)
    if run.state is not RunState.WAITING:
        raise NotPossible("scanner_at_work")
    run.state = RunState.RECEIVING
    run_changed(session, mappe, run)
    enqueue(session, JobKind.RECEIVE, run_id=run.id)


@transaction
def stop(caller: Caller, session: Session, run_id: int) -> None:
    """End a run: a glass loop at once, a feeder run after the page that is on its way."""
    run, mappe = _locked_run(caller, session, run_id)
    if run.state is RunState.WAITING:
        _end(session, mappe, run, RunState.DONE, None)
    elif run.state is RunState.RECEIVING:
        run.stop_requested = True
        run_changed(session, mappe, run)


@transaction
def end(caller: Caller, session: Session, run_id: int, state: RunState, message: Message | None = None) -> None:
    """End a run, once."""
    run, mappe = _locked_run(caller, session, run_id)
    if run.state.live:
        _end(session, mappe, run, state, message)


def _end(session: Session, mappe: Mappe, run: Run, state: RunState, message: Message | None) -> None:
    run.state, run.ended_at = state, datetime.now(UTC)
    so_far = sheets_in(session, run)
    if state is RunState.DONE and run.expected_sheets not in {None, so_far.complete}:
        message = Message(code="counted_otherwise", params={"came": so_far.complete, "counted": run.expected_sheets})
    run.message = message.model_dump(mode="json") if message else None
    params = {
        "run": run.number,
        "sheets": so_far.complete + (so_far.half is not None),
        "pages": pages_in(session, run, so_far),
    }
    run.change = machine_entry(session, mappe, message=Message(code="run_ended", params=params))


@transaction
def wait_for_sheet(caller: Caller, session: Session, run_id: int) -> None:
    """Let a glass loop wait for the next sheet, or end it where all sheets are in that were counted."""
    run, mappe = _locked_run(caller, session, run_id)
    if run.state is not RunState.RECEIVING:
        return
    if run.stop_requested or sheets_in(session, run).complete == run.expected_sheets:
        _end(session, mappe, run, RunState.DONE, None)
    else:
        run.state, run.job_url, run.job_intention = RunState.WAITING, None, None
        run_changed(session, mappe, run)


@transaction
def note_intention(caller: Caller, session: Session, run_id: int, known: list[str], now: datetime) -> None:
    """Record that a job is about to begin on the device, and the names of the jobs that it has already."""
    run, _ = _locked_run(caller, session, run_id)
    run.job_intention, run.job_url = {"known": known, "at": now.isoformat()}, None


@transaction
def note_job(caller: Caller, session: Session, run_id: int, job_url: str) -> None:
    """Record the device's job, so that another worker can resume it."""
    run, _ = _locked_run(caller, session, run_id)
    run.job_url, run.pages_before_job = job_url, pages_in(session, run, sheets_in(session, run))


def read_run(store: Store, run_id: int) -> tuple[Run, SheetsIn]:
    """Return a run's present state, and what it has brought in. Raises NotFound."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        if run is None:
            raise NotFound("run_gone")
        return run, sheets_in(session, run)


def sheets_in(session: Session, run: Run) -> SheetsIn:
    """Return which sheets of a run are in, whole or half. Sheets come one after the other, front before back."""
    newest = select(Capture.sheet, Capture.side).where(Capture.run_id == run.id, Capture.sheet.is_not(None))
    last = session.execute(newest.order_by(Capture.sheet.desc(), Capture.side).limit(1)).first()
    if last is None or last.sheet is None:
        return SheetsIn(run.first_sheet, 0, None)
    half = last.sheet if is_two_sided(run) and last.side is Side.FRONT else None
    return SheetsIn(run.first_sheet, last.sheet - run.first_sheet + (half is None), half)


def pages_in(session: Session, run: Run, so_far: SheetsIn) -> int:
    """Return how many pages a run has brought in."""
    if run.origin is not RunOrigin.SCANNER:
        return session.scalar(select(func.count()).where(Capture.run_id == run.id)) or 0
    return so_far.complete * (2 if is_two_sided(run) else 1) + (so_far.half is not None)


def is_two_sided(run: Run) -> bool:
    """Whether both sides of sheets are scanned."""
    return run.ticket is not None and run.ticket["sides"] == Sides.BOTH


def next_place(so_far: SheetsIn) -> tuple[int, Side]:
    """Return the sheet and side of a run's next capture."""
    return so_far.next, Side.FRONT if so_far.half is None else Side.BACK


def keep_capture(store: Store, run_id: int, place: tuple[int, Side], picture: CapturedPicture) -> int:
    """Keep what the device delivered. When this returns, it survives any crash, and windows show it.

    Args:
        store: rows and files.
        run_id: the run.
        place: its sheet and side; a second capture for the same place is not kept.
        picture: the capture.

    Returns:
        The page.

    Raises:
        StoreError: it could not be kept; nothing is shown as arrived.
        PictureRefused: it cannot be decoded; nothing of it is kept.
    """
    head, sha256 = picture.head(), sha256_of(picture.data)
    size = PictureSize.LANE
    small = page_jpeg(picture, Treatment(), size.width_px, THUMBNAIL_QUALITY)
    store.blobs.keep(Blobs.capture_key(sha256), picture.data)
    store.blobs.cache(Blobs.picture_key(Treatment().picture_key(sha256), size), small)
    return _record_capture(MACHINE, store, run_id, place, sha256, picture, head)


@transaction
def _record_capture(
    caller: Caller,
    session: Session,
    run_id: int,
    place: tuple[int, Side],
    sha256: str,
    picture: CapturedPicture,
    head: PictureHead,
) -> int:
    run, mappe = _locked_run(caller, session, run_id)
    sheet, side = place
    if kept := _page_at(session, run_id, sheet, side):
        return kept.id
    capture = Capture(
        run_id=run.id,
        sheet=sheet,
        side=side,
        sha256=sha256,
        media_type=head.media_type,
        byte_size=len(picture.data),
        width_px=head.width_px,
        height_px=head.height_px,
        dpi=picture.dpi,
    )
    session.add(capture)
    session.flush()
    page = Page(
        mappe_id=mappe.id,
        capture_id=capture.id,
        rank=_rank_for(session, run, sheet, side),
        side=side,
        treatment=Treatment().model_dump(mode="json"),
        revision=1,
    )
    session.add(page)
    session.flush()
    run.change = machine_entry(session, mappe, {page.id: {}})
    enqueue(session, JobKind.ANALYSE, page_id=page.id)
    return page.id


def _page_at(session: Session, run_id: int, sheet: int, side: Side) -> Page | None:
    here = select(Page).join(Page.capture).where(Capture.run_id == run_id, Capture.sheet == sheet, Capture.side == side)
    return session.scalar(here.order_by(Page.id).limit(1))


def _rank_for(session: Session, run: Run, sheet: int, side: Side) -> Decimal:
    """Return the rank of a back's front if that is in the Mappe without a back; otherwise a rank after all others."""
    front = _page_at(session, run.id, sheet, Side.FRONT) if side is Side.BACK else None
    if front is not None and front.mappe_id == run.mappe_id:
        there = select(Page.id).where(Page.mappe_id == run.mappe_id, Page.rank == front.rank, Page.side == Side.BACK)
        if session.scalar(there) is None:
            return front.rank
    last = session.scalar(select(func.max(Page.rank)).where(Page.mappe_id == run.mappe_id))
    return Decimal(int(last or 0) + 1)


def _locked_run(caller: Caller, session: Session, run_id: int) -> tuple[Run, Mappe]:
    """Return a run and its Mappe, both kept for this transaction: the Mappe always first. Raises NotFound."""
    mappe_id = session.scalar(select(Run.mappe_id).where(Run.id == run_id))
    if mappe_id is None:
        raise NotFound("run_gone")
    mappe = locked_mappe(caller, session, mappe_id)
    return session.get_one(Run, run_id, populate_existing=True), mappe


def interruption(so_far: SheetsIn, cause: Message, source: Source, stuck: bool) -> Message:
    """Return the message about an interrupted run: what happened, which sheets are in, what to do.

    Args:
        so_far: the sheets that are in.
        cause: what happened; where a sheet is `stuck`, what happened to it.
        source: where the paper lies.
        stuck: whether a sheet has to be taken out.
    """
    params = {
        "cause": cause.model_dump(mode="json"),
        "first": so_far.first,
        "complete": so_far.complete,
        "half": so_far.half,
        "next": so_far.next,
        "source": source.value,
        "stuck": stuck,
    }
    return Message(code="run_interrupted", params=params)
