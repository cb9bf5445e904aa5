"""Whether pages are on their way into a Mappe."""

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.store.models import Run, RunState


def is_receiving(session: Session, mappe_id: int) -> bool:
    """Return whether a run into a Mappe still has its device, or still reads its files."""
    live = exists().where(Run.mappe_id == mappe_id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    return bool(session.scalar(select(live)))
