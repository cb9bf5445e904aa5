"""Whether pages are on their way into a Mappe, and what follows when all of a run are there."""

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.store.models import Capture, Page, Run, RunState
from papiermappe.store.queue import JobKind, enqueue


def is_receiving(session: Session, mappe_id: int) -> bool:
    """Return whether a run into a Mappe still has its device, or still reads its files."""
    live = exists().where(Run.mappe_id == mappe_id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    return bool(session.scalar(select(live)))


def compare_when_all_are_in(session: Session, run: Run) -> None:
    """Have the pages of a run compared once it has ended and all of them have been examined."""
    if run.state.live:
        return
    waiting = exists().where(Page.capture_id == Capture.id, Capture.run_id == run.id, Page.analysis.is_(None))
    if not session.scalar(select(waiting)):
        enqueue(session, JobKind.COMPARE_RUN, run_id=run.id)
