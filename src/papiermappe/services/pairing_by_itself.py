"""Backs laid to the fronts they were scanned for, by itself where that is sure, once all of them are in."""

from collections.abc import Sequence

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.order.landing import Backs
from papiermappe.devices.model import TicketSettings
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import run_changed
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import arrange_for, machine_entry, would_change
from papiermappe.services.landing import landing_of
from papiermappe.services.pairing import PairingProposed, sides_of_runs, worked_out
from papiermappe.services.places import PLACE_FIELDS
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, EntryKind, JournalChange, JournalEntry, Page, Run
from papiermappe.store.queue import JobKind, enqueue


class RunPairing(BaseModel):
    """What has become of pairing the backs of a run with the fronts before it."""

    fronts_run: int
    sheets: int
    uncertain: int
    """How many sheets should be compared; 0 where all is sure."""
    missing: int = 0
    """How many sides are missing."""
    sure: bool
    by_habit: bool
    left: bool = False
    """Whether pages lie otherwise, and were left so: by the ticket, or as a person has moved them."""

    def message(self, run: int) -> Message:
        """Return what is told of it, given the number of the run that brought the backs."""
        if self.by_habit:
            return Message(code="pairs_by_habit", params={"run": run})
        if not self.sure:
            return Message(code="pairs_uncertain", params={"count": self.uncertain, "run": run})
        if self.left:
            return Message(code="pairs_left", params={"run": run})
        if self.missing:
            return Message(code="pairs_sure_but_missing", params={"count": self.missing, "run": run})
        return Message(code="pairs_sure", params={"count": self.sheets, "run": run})


def pair_by_itself(store: Store, run_id: int, compute: Compute, max_px: int) -> None:
    """Pair the backs that a run has brought in with the fronts they were scanned for; do it where that is sure."""
    with store.begin() as session:
        run = session.get(Run, run_id)
        fronts = _fronts_run_of(session, run) if run else None
        if run is None or fronts is None:
            return
        mappe_id, fronts_run = run.mappe_id, fronts.number
        try:
            sides = sides_of_runs(session, mappe_id, fronts_run, run.number)
        except NotPossible:
            return
        name = sides.name(None)
    found = worked_out(store, mappe_id, name, sides, None, compute, max_px)
    _record(MACHINE, store, run_id, fronts_run, found)


def pair_again(session: Session, mappe_id: int) -> None:
    """Have backs paired anew that were not sure, now that more is known of their pages."""
    unsure = select(Run.id).where(Run.mappe_id == mappe_id, Run.pairing["sure"].as_boolean().is_(False))
    for run_id in session.scalars(unsure):
        enqueue(session, JobKind.COMPARE_RUN, run_id=run_id)


@transaction
def _record(caller: Caller, session: Session, run_id: int, fronts_run: int, found: PairingProposed) -> None:
    run = session.get_one(Run, run_id)
    mappe = locked_mappe(caller, session, run.mappe_id)
    session.refresh(run)
    operation = found.operation()
    is_wished = run.ticket is None or TicketSettings.model_validate(run.ticket).pair_backs
    by_itself = found.sure and is_wished and not _placed_by_hand(session, operation.pages)
    told = RunPairing(
        fronts_run=fronts_run,
        sheets=len(found.sheets),
        uncertain=sum(not sheet.sure for sheet in found.sheets),
        missing=sum(sheet.step in {"front_alone", "back_alone"} for sheet in found.sheets),
        sure=found.sure,
        by_habit=found.by_habit,
        left=not by_itself and would_change(session, mappe, operation),
    )
    if run.pairing == told.model_dump(mode="json"):
        return
    run.pairing = told.model_dump(mode="json")
    done = arrange_for(session, mappe, operation, run.author) if by_itself else None
    if done is None:
        machine_entry(session, mappe, message=told.message(run.number))
    run_changed(session, mappe, run)


def _fronts_run_of(session: Session, run: Run) -> Run | None:
    """Return the run that brought the fronts in for which a run has brought the backs."""
    landing = landing_of(run)
    if not isinstance(landing, Backs):
        return None
    brought = select(Run).join(Capture, Capture.run_id == Run.id).join(Page, Page.capture_id == Capture.id)
    return session.scalar(brought.where(Page.id == landing.fronts[-1]).limit(1))


def _placed_by_hand(session: Session, pages: Sequence[int]) -> bool:
    """Return whether a person has moved one of the pages."""
    changes = select(JournalChange.after).join(JournalEntry, JournalEntry.seq == JournalChange.seq)
    changes = changes.where(JournalChange.page_id.in_(pages), JournalEntry.kind != EntryKind.MACHINE)
    return any(PLACE_FIELDS & after.keys() for after in session.scalars(changes))
