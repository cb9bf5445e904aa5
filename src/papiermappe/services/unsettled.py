"""What will still change by itself in a Mappe: who files waits for it."""

from pydantic import BaseModel, computed_field
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
    """So many wait for being examined, or turned upright."""
    comparing: bool
    """Pages of a run are to be compared with one another, and done to them what was wished for all of it."""

    @computed_field  # type: ignore[prop-decorator]  # as pydantic has it; mypy knows no decorated properties
    @property
    def is_over(self) -> bool:
        """Whether nothing will change by itself any more."""
        return not (self.scanning or self.pages or self.comparing)


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
            pages=_count_waiting(session, mappe_id),
            comparing=_is_comparing(session, mappe_id),
        )


def _has_run(session: Session, mappe_id: int, state: RunState, which: ColumnElement[bool]) -> bool:
    return bool(session.scalar(select(exists().where(Run.mappe_id == mappe_id, Run.state == state, which))))


def _count_waiting(session: Session, mappe_id: int) -> int:
    waiting = set[int]().union(*(live_job_ids(session, kind, "page_id") for kind in _OF_PAGES))
    in_document = Page.mappe_id == mappe_id, Page.set_aside.is_(False), Page.id.in_(waiting)
    return session.scalar(select(func.count()).select_from(Page).where(*in_document)) or 0


def _is_comparing(session: Session, mappe_id: int) -> bool:
    runs = live_job_ids(session, JobKind.COMPARE_RUN, "run_id")
    brought = exists().where(Page.mappe_id == mappe_id, Page.capture_id == Capture.id, Capture.run_id.in_(runs))
    return bool(runs) and bool(session.scalar(select(brought)))
