"""Runs: begun, continued, ended, and what they have brought in so far."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple

from sqlalchemy import func, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from papiermappe.core.operations import SetAside
from papiermappe.core.order.landing import Again, Backs, BacksOrder, Landing
from papiermappe.core.order.places import Side
from papiermappe.core.zones import Zone
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import run_changed
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.journal import machine_entry
from papiermappe.services.landing import backs_of, landing_of, must_be_there
from papiermappe.services.live_runs import compare_when_all_are_in
from papiermappe.services.pages import page_states
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import (
    Capture,
    FileState,
    IncomingFile,
    Mappe,
    Page,
    PhoneLink,
    Run,
    RunOrigin,
    RunState,
    Ticket,
)
from papiermappe.store.queue import JobKind, enqueue


@dataclass(frozen=True)
class SheetsIn:
    """What a run has brought in so far."""

    first: int
    complete: int
    half: int | None
    """The sheet of which only the front is in, of two sides."""
    captures: int = 0
    """How many pictures have come, those that were taken again included."""

    @property
    def next(self) -> int:
        """The sheet to put in first when continuing."""
        return self.first + self.complete


class PlaceInRun(NamedTuple):
    """Which capture of a run it is."""

    sheet: int
    side: Side
    take: int
    """1, or more where the sheet was taken again."""


@transaction
def start_run(
    caller: Caller,
    session: Session,
    mappe_id: int,
    device_id: int,
    ticket: TicketSettings,
    expected_sheets: int | None = None,
    landing: Landing | None = None,
    areas: Sequence[Zone] = (),
    kept_ticket: int | None = None,
) -> int:
    """Begin a run; a worker receives the pages.

    Args:
        caller: who begins it.
        session: of the transaction.
        mappe_id: that the pages go into.
        device_id: the scanner.
        ticket: its settings.
        expected_sheets: how many the person has counted; a glass loop ends by itself when they are in.
        landing: where its pages go; None: to the Mappe's end.
        kept_ticket: the ticket under a name that was chosen, though it may be changed for this once.
        areas: of the glass, that become a page each, one after the other; none: where the paper lies.

    Raises:
        NotFound: there is no such Mappe or device, or a page by which it lands is not in the Mappe.
        NotPossible: the device or the Mappe has a run already.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    must_be_there(session, mappe_id, landing)
    if isinstance(landing, Again):
        if len(landing.pages) == 1:
            ticket = ticket.model_copy(update={"sides": Sides.ONE})
        expected_sheets = 1 if ticket.sides is Sides.BOTH else len(landing.pages)
    if areas:
        expected_sheets = len(areas)
    run = Run(
        device_id=device_id,
        author=caller.author,
        ticket=ticket.model_dump(mode="json"),
        ticket_id=_ticket_there(session, kept_ticket),
        expected_sheets=expected_sheets,
        areas=[area.model_dump(mode="json") for area in areas] or None,
        landing=landing.model_dump(mode="json") if landing else None,
    )
    return _begin(session, mappe, run)


@transaction
def start_backs(
    caller: Caller, session: Session, run_id: int, device_id: int, ticket: TicketSettings, order: BacksOrder
) -> int:
    """Begin the run of the backs of a one-sided run.

    Raises:
        NotFound: there is no such run or device.
        NotPossible: no front of it is there, or the device or the Mappe has a run already.
    """
    fronts, mappe = locked_run(caller, session, run_id)
    run = Run(
        device_id=device_id,
        author=caller.author,
        ticket=ticket.model_dump(mode="json"),
        ticket_id=fronts.ticket_id,
        landing=backs_of(session, fronts, order).model_dump(mode="json"),
    )
    return _begin(session, mappe, run)


def _ticket_there(session: Session, ticket_id: int | None) -> int | None:
    """Return a ticket; None where there is none, or none any more: its settings go without its name."""
    return None if ticket_id is None or session.get(Ticket, ticket_id) is None else ticket_id


def _begin(session: Session, mappe: Mappe, run: Run) -> int:
    """Begin a run of a scanner, whose device, ticket and landing are set; return it."""
    run.origin = RunOrigin.SCANNER
    begin(session, mappe, run)
    enqueue(session, JobKind.RECEIVE, run_id=run.id)
    return run.id


def begin(session: Session, mappe: Mappe, run: Run) -> None:
    """Begin a run in a locked Mappe: number it, and let it have its device and the Mappe. Raises NotPossible."""
    number = (session.scalar(select(func.max(Run.number)).where(Run.mappe_id == mappe.id)) or 0) + 1
    run.mappe_id, run.number, run.state = mappe.id, number, RunState.RECEIVING
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


@transaction
def continue_run(caller: Caller, session: Session, run_id: int) -> int:
    """Continue after a run that was interrupted: its half sheet is set aside, the new run counts on.

    Returns:
        The new run.

    Raises:
        NotFound: there is no such run.
        NotPossible: it was not interrupted, or another run has begun.
    """
    broken, mappe = locked_run(caller, session, run_id)
    if broken.state is not RunState.INTERRUPTED:
        raise NotPossible("run_not_interrupted")
    so_far = sheets_in(session, broken)
    to_come = broken.expected_sheets - so_far.complete if broken.expected_sheets else 0
    run = Run(
        device_id=broken.device_id,
        author=caller.author,
        ticket=broken.ticket,
        ticket_id=broken.ticket_id,
        first_sheet=so_far.next,
        expected_sheets=to_come if to_come > 0 else None,
        landing=broken.landing,
        areas=broken.areas,
    )
    continued = _begin(session, mappe, run)
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
    run, mappe = locked_run(caller, session, run_id)
    run.dismissed = True
    run_changed(session, mappe, run)


@transaction
def next_sheet(caller: Caller, session: Session, run_id: int) -> None:
    """Scan the next sheet from the glass."""
    run, mappe = locked_run(caller, session, run_id)
    if run.state is not RunState.WAITING:
        raise NotPossible("scanner_at_work")
    run.state = RunState.RECEIVING
    run_changed(session, mappe, run)
    enqueue(session, JobKind.RECEIVE, run_id=run.id)


@transaction
def retake(caller: Caller, session: Session, run_id: int) -> None:
    """Scan the sheet from the glass once more that came in last; the new picture takes the place of the old one.

    Raises:
        NotFound: there is no such run.
        NotPossible: the run does not wait, or no sheet of it is in.
    """
    run, mappe = locked_run(caller, session, run_id)
    if run.state is not RunState.WAITING:
        raise NotPossible("scanner_at_work")
    run.state, run.retaking = RunState.RECEIVING, True
    run_changed(session, mappe, run)
    enqueue(session, JobKind.RECEIVE, run_id=run.id)


@transaction
def stop(caller: Caller, session: Session, run_id: int) -> None:
    """End a run, as `stop_within` says. Raises NotFound."""
    stop_within(caller, session, run_id)


def stop_within(caller: Caller, session: Session, run_id: int) -> None:
    """End a run: a glass loop at once, a feeder run after the sheet that is on its way.

    One of a camera ends when the pictures are read that are here; others stay where they are, and are not expected.
    The link of its phone ends with it, where a person ends it.
    """
    run, mappe = locked_run(caller, session, run_id)
    if run.origin.is_files and run.state.live:
        end_locked(session, mappe, run, RunState.STOPPED, None)
    elif run.origin is RunOrigin.CAMERA and run.state.live:
        coming = IncomingFile.run_id == run.id, IncomingFile.state.in_([FileState.COMING, FileState.LOCKED])
        session.execute(update(IncomingFile).where(*coming).values(state=FileState.CANCELLED, password=None))
        if caller != MACHINE:
            ended = PhoneLink.id == run.phone_link_id, PhoneLink.closed_at.is_(None)
            session.execute(update(PhoneLink).where(*ended).values(closed_at=func.now()))
        run.stop_requested = True
        run_changed(session, mappe, run)
        enqueue(session, JobKind.IMPORT, run_id=run.id)
    elif run.state is RunState.WAITING:
        end_locked(session, mappe, run, RunState.DONE, None)
    elif run.state is RunState.RECEIVING:
        run.stop_requested = True
        run_changed(session, mappe, run)


@transaction
def end(caller: Caller, session: Session, run_id: int, state: RunState, message: Message | None = None) -> None:
    """End a run, once."""
    run, mappe = locked_run(caller, session, run_id)
    if run.state.live:
        end_locked(session, mappe, run, state, message)


def end_locked(session: Session, mappe: Mappe, run: Run, state: RunState, message: Message | None) -> None:
    """End a run that is live, in a locked Mappe."""
    run.state, run.ended_at, run.retaking = state, datetime.now(UTC), False
    so_far = sheets_in(session, run)
    message = message or _otherwise_than_counted(run, so_far)
    run.message = message.model_dump(mode="json") if message else None
    params = {
        "run": run.number,
        "sheets": so_far.complete + (so_far.half is not None),
        "pages": pages_in(session, run, so_far),
    }
    run.change = machine_entry(session, mappe, message=Message(code="run_ended", params=params))
    compare_when_all_are_in(session, run)


def _otherwise_than_counted(run: Run, so_far: SheetsIn) -> Message | None:
    """Return what is to be said where a run that is done has brought in more or less than it should."""
    came, landing = so_far.first - 1 + so_far.complete, landing_of(run)
    if isinstance(landing, Backs) and came != len(landing.fronts):
        return Message(code="backs_differ", params={"fronts": len(landing.fronts), "backs": came})
    if run.state is RunState.DONE and run.expected_sheets not in {None, so_far.complete}:
        return Message(code="counted_otherwise", params={"came": so_far.complete, "counted": run.expected_sheets})
    return None


@transaction
def wait_for_sheet(caller: Caller, session: Session, run_id: int) -> bool:
    """Let a glass loop wait for the next sheet, or end it where all sheets are in that were counted.

    Returns:
        Whether the next area of the glass is to be scanned at once.
    """
    run, mappe = locked_run(caller, session, run_id)
    if run.state is not RunState.RECEIVING:
        return False
    if run.stop_requested or sheets_in(session, run).complete == run.expected_sheets:
        end_locked(session, mappe, run, RunState.DONE, None)
        return False
    run.job_url, run.job_intention = None, None
    if run.areas is None:
        run.state = RunState.WAITING
    run_changed(session, mappe, run)
    return run.areas is not None


def next_area(run: Run, so_far: SheetsIn) -> Zone | None:
    """Return the area of the glass that comes next; None where the paper lies."""
    if not run.areas or so_far.next > len(run.areas):
        return None
    return Zone.model_validate(run.areas[so_far.next - 1])


@transaction
def note_intention(caller: Caller, session: Session, run_id: int, known: list[str], now: datetime) -> None:
    """Record that a job is about to begin on the device, and the names of the jobs that it has already."""
    run, _ = locked_run(caller, session, run_id)
    run.job_intention, run.job_url = {"known": known, "at": now.isoformat()}, None


@transaction
def note_job(caller: Caller, session: Session, run_id: int, job_url: str) -> None:
    """Record the device's job, so that another worker can resume it."""
    run, _ = locked_run(caller, session, run_id)
    run.job_url, run.captures_before_job = job_url, sheets_in(session, run).captures


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
    captures = session.scalar(select(func.count()).where(Capture.run_id == run.id)) or 0
    half = last.sheet if is_two_sided(run) and last.side is Side.FRONT else None
    return SheetsIn(run.first_sheet, last.sheet - run.first_sheet + (half is None), half, captures)


def pages_in(session: Session, run: Run, so_far: SheetsIn) -> int:
    """Return how many pages a run has brought in."""
    if run.origin is not RunOrigin.SCANNER:
        return session.scalar(select(func.count()).where(Capture.run_id == run.id)) or 0
    return so_far.complete * (2 if is_two_sided(run) else 1) + (so_far.half is not None)


def is_two_sided(run: Run) -> bool:
    """Whether both sides of sheets are scanned."""
    return run.ticket is not None and run.ticket["sides"] == Sides.BOTH


def next_place(run: Run, so_far: SheetsIn) -> PlaceInRun:
    """Return the sheet and side of a run's next capture, and the how-manieth picture of it that is."""
    if run.retaking:
        return PlaceInRun(so_far.next - 1, Side.FRONT, so_far.captures - so_far.complete + 2)
    return PlaceInRun(so_far.next, Side.FRONT if so_far.half is None else Side.BACK, 1)


def locked_run(caller: Caller, session: Session, run_id: int) -> tuple[Run, Mappe]:
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
