"""What will still change by itself in a Mappe: who files waits for it."""

from pydantic import BaseModel
from sqlalchemy import ColumnElement, exists, func, select
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, live_job_ids

_OF_PAGES = (JobKind.ANALYSE, JobKind.EXAMINE_FLATTENED, JobKind.FIND_UPRIGHT)


class Unsettled(BaseModel):
    """What will still change by itself."""

    scanning: bool
    """Pages are on their way, without anybody having to do something for it."""
    interrupted: bool
    """A run was cut off, and nobody has said yet that it is to end without the rest."""
    pages: int
    """So many wait for being examined, turned upright, or compared with others of their run."""

    @property
    def is_over(self) -> bool:
        """Whether nothing will change by itself any more."""
        return not (self.scanning or self.pages)


def unsettled(caller: Caller, store: Store, mappe_id: int) -> Unsettled:
    """Return what will still change by itself in a Mappe.

    Until then pages are not straight, and neither blank backs are set aside nor dividers found. Pages that could not be
    examined do not count: nothing more will come of them.

    Raises:
        NotFound: there is no such Mappe.
    """
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        return Unsettled(
            # who takes pictures goes on for as long as they like
            scanning=_has_run(session, mappe_id, RunState.RECEIVING, Run.origin != RunOrigin.CAMERA),
            interrupted=_has_run(session, mappe_id, RunState.INTERRUPTED, Run.dismissed.is_(False)),
            pages=_waiting_pages(session, mappe_id),
        )


def _has_run(session: Session, mappe_id: int, state: RunState, which: ColumnElement[bool]) -> bool:
    return bool(session.scalar(select(exists().where(Run.mappe_id == mappe_id, Run.state == state, which))))


def _waiting_pages(session: Session, mappe_id: int) -> int:
    pages = set[int]().union(*(live_job_ids(session, kind, "page_id") for kind in _OF_PAGES))
    runs = live_job_ids(session, JobKind.COMPARE_RUN, "run_id")
    waiting = select(func.count()).select_from(Page).join(Capture, Capture.id == Page.capture_id)
    in_document = Page.mappe_id == mappe_id, Page.set_aside.is_(False)
    return session.scalar(waiting.where(*in_document, Page.id.in_(pages) | Capture.run_id.in_(runs))) or 0
