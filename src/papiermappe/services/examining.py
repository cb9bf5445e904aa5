"""Which pages the machine has still to look at before a Mappe is as it will be."""

from sqlalchemy import func, select

from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page
from papiermappe.store.queue import JobKind, live_job_ids

_OF_PAGES = (JobKind.ANALYSE, JobKind.EXAMINE_FLATTENED, JobKind.FIND_UPRIGHT)


def being_examined(caller: Caller, store: Store, mappe_id: int) -> int:
    """Return how many pages of a Mappe wait for being examined, turned upright, or compared with others of their run.

    Until then they are not straight, and neither blank backs are set aside nor dividers found. Pages that could not be
    examined do not count: nothing more will come of them.

    Raises:
        NotFound: there is no such Mappe.
    """
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        pages = set[int]().union(*(live_job_ids(session, kind, "page_id") for kind in _OF_PAGES))
        runs = live_job_ids(session, JobKind.COMPARE_RUN, "run_id")
        waiting = select(func.count()).select_from(Page).join(Capture, Capture.id == Page.capture_id)
        in_document = Page.mappe_id == mappe_id, Page.set_aside.is_(False)
        return session.scalar(waiting.where(*in_document, Page.id.in_(pages) | Capture.run_id.in_(runs))) or 0
