"""Running routines: what they would make of some pages first, then all of it as one entry of the journal.

The pages that come of spreads have to be examined before the steps after that can be worked out. So a routine is run by
a job: nothing is changed until all of it is known, and then everything at once.
"""

from collections.abc import Mapping
from uuid import uuid4

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis
from papiermappe.core.operations import OperationRefused, PageState, RunRoutine
from papiermappe.core.operations.replaying import replay
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError, PictureRefused
from papiermappe.message import Message
from papiermappe.services.analysing import ticket_of
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, visible_mappe
from papiermappe.services.entries import write_entry
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.journal import machine_entry, refuse_conflict
from papiermappe.services.pages import pages_of
from papiermappe.services.routine_runs import (
    Halver,
    Halving,
    MisfitSeen,
    RoutineWanted,
    changed_count,
    examined_halves,
    known_of,
    misfits_seen,
    replayed_in_memory,
)
from papiermappe.services.splitting import half_page
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, EntryKind, JournalEntry, JournalMappe, Page, Receipt, Routine, Run
from papiermappe.store.queue import JobKind, enqueue, is_under_way


class RoutineRan(BaseModel):
    """How far a routine is."""

    over: bool
    done: int = 0
    total: int = 0
    """How many pages of spreads have been examined, of how many."""
    entry: int | None = None
    """What it has become in the journal; None where nothing had to be changed, or it is not over."""
    pages: int = 0
    """How many pages it has changed or made."""
    misfits: list[MisfitSeen] = []
    refused: Message | None = None
    """Why nothing was changed."""


@transaction
def request_routine(caller: Caller, session: Session, mappe_id: int, wanted: RoutineWanted, seen: int) -> str:
    """Have a routine run on pages of a Mappe; return the name under which its progress is known. Raises NotFound."""
    mappe = visible_mappe(caller, session, mappe_id)
    name = uuid4().hex
    _enqueue(session, mappe.id, name, wanted, caller.author, seen)
    return name


def _enqueue(session: Session, mappe_id: int, name: str, wanted: RoutineWanted, author: str, seen: int) -> None:
    asked = wanted.model_dump(mode="json")
    enqueue(session, JobKind.ROUTINE, mappe_id=mappe_id, name=name, wanted=asked, author=author, seen=seen)


def run_by_itself(store: Store, run_id: int) -> None:
    """Have the routine run that the ticket of a run names, on the pages that it has brought in; once."""
    store.run(lambda session: _enqueue_for(session, run_id))


def _enqueue_for(session: Session, run_id: int) -> None:
    run = session.get(Run, run_id)
    ticket = ticket_of(run) if run else None
    if run is None or ticket is None or not ticket.routine:
        return
    routine = session.get(Routine, ticket.routine)
    mappe = locked_mappe(MACHINE, session, run.mappe_id)
    been_run = select(JournalEntry.seq).join(JournalMappe, JournalMappe.seq == JournalEntry.seq)
    been_run = been_run.where(
        JournalMappe.mappe_id == mappe.id, JournalEntry.operation["run"].as_integer() == run_id
    ).limit(1)
    brought = select(Page.id).join(Page.capture).where(Capture.run_id == run_id, Page.mappe_id == mappe.id)
    pages = session.scalars(brought.order_by(Page.rank)).all()
    if routine is None or routine.removed_at is not None or not pages or session.scalar(been_run) is not None:
        return
    name = f"{run_id:032x}"  # the same for each time that the run is looked through: it is done once
    if is_under_way(session, JobKind.ROUTINE, name):
        return
    wanted = RoutineWanted.model_validate(
        {"name": routine.name, "steps": routine.steps, "pages": list(pages), "run": run_id}
    )
    _enqueue(session, mappe.id, name, wanted, run.author, mappe.change)


def routine_ran(caller: Caller, store: Store, mappe_id: int, name: str) -> RoutineRan:
    """Return how far a routine is that was asked for. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        waits = is_under_way(session, JobKind.ROUTINE, name)
        receipt = session.get(Receipt, _receipt(mappe_id, name))
    if receipt is not None and receipt.answer is not None:
        return RoutineRan.model_validate(receipt.answer["answer"])
    if not waits:
        return RoutineRan(over=True, refused=Message(code="routine_lost"))
    kept = store.blobs.cached(_progress_key(mappe_id, name))
    return RoutineRan.model_validate_json(kept) if kept else RoutineRan(over=False)


def run_routine(
    store: Store,
    mappe_id: int,
    name: str,
    wanted: RoutineWanted,
    author: str,
    seen: int,
    compute: Compute,
    max_px: int,
) -> None:
    """Run a routine. Run again after it was cut off, it is done once all the same.

    Args:
        store: of the Mappe.
        mappe_id: in which the pages are.
        name: of the request.
        wanted: what is run, and on which pages.
        author: who asked for it, and can take it back.
        seen: the newest change that the author knew.
        compute: runs what takes long.
        max_px: what is accepted of pictures.
    """

    def tell(done: int, total: int) -> None:
        told = RoutineRan(over=False, done=done, total=total)
        store.blobs.cache(_progress_key(mappe_id, name), told.model_dump_json().encode())

    caller = Caller(author, _receipt(mappe_id, name))
    try:
        with store.begin() as session:
            visible_mappe(caller, session, mappe_id)
            known = known_of(session, mappe_id, wanted)
        _, halver = replayed_in_memory(wanted, known, {})
        found = examined_halves(store, known, halver.made.values(), compute, max_px, tell)
        _carry_out(caller, store, mappe_id, wanted, seen, found)
    except (NotFound, NotPossible, OperationRefused, ChangedMeanwhile, PictureRefused) as exc:
        _refuse(caller, store, mappe_id, wanted, exc)


@transaction
def _carry_out(
    caller: Caller,
    session: Session,
    mappe_id: int,
    wanted: RoutineWanted,
    seen: int,
    found: Mapping[Halving, Analysis],
) -> RoutineRan:
    """Do what a routine makes of pages. Raises ChangedMeanwhile, NotFound, NotPossible, OperationRefused."""
    mappe = locked_mappe(caller, session, mappe_id)
    known = known_of(session, mappe_id, wanted)
    rows = {page.id: page for page in pages_of(session, mappe_id)}

    def new_page(spread: PageState, treatment: Treatment, analysis: Analysis | None) -> int:
        page = half_page(rows[spread.id], treatment, analysis)
        session.add(page)
        session.flush()
        rows[page.id] = page
        return page.id

    replayed = replay(wanted.steps, known.states, wanted.pages, Halver(found, known.tickets, new_page))
    ran = RoutineRan(over=True, misfits=misfits_seen(replayed.misfits), pages=changed_count(replayed))
    if not replayed.changes:
        return ran
    refuse_conflict(session, caller, replayed.changes, seen)
    operation = RunRoutine(
        pages=wanted.pages,
        name=wanted.name,
        steps=wanted.steps,
        misfits=len({misfit.step for misfit in replayed.misfits}),
        run=wanted.run,
        split=replayed.split,
    )
    entry = write_entry(
        session,
        EntryKind.DO,
        replayed.changes,
        rows,
        {mappe.id: mappe},
        author=caller.author,
        operation=operation.model_dump(mode="json"),
    )
    return ran.model_copy(update={"entry": entry})


@transaction
def _refuse(
    caller: Caller, session: Session, mappe_id: int, wanted: RoutineWanted, why: PapiermappeError
) -> RoutineRan:
    """Say why a routine was not run: as the answer of its request, and where nobody waits for that, in the history."""
    del caller
    if wanted.run is not None:
        params = {"name": wanted.name, "cause": why.message.model_dump(mode="json")}
        machine_entry(
            session, locked_mappe(MACHINE, session, mappe_id), message=Message(code="routine_not_run", params=params)
        )
    return RoutineRan(over=True, refused=why.message)


def _receipt(mappe_id: int, name: str) -> str:
    return f"routine-{mappe_id}-{name}"


def _progress_key(mappe_id: int, name: str) -> str:
    return Blobs.estimate_key(name, f"routine-{mappe_id}.json")
