"""Sheets whose corners a person has placed: what is found on them as they then are."""

from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.treatment import FOUND_ON_SHEET, Straightening, Treatment
from papiermappe.services.analysing import examine_known
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.journal import machine_entry
from papiermappe.services.pages import treatment_of
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Mappe, Page


def examine_flattened(store: Store, page_id: int, compute: Compute, max_px: int) -> None:
    """Find the curl, the angle and the frame of a sheet whose corners a person has placed, and record them.

    What was found on its photo before stays known: the person may go back to it.
    """
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or not treatment_of(page).waits_to_be_examined:
            return
        capture, treatment = page.capture, treatment_of(page)
    known = KnownSheet(treatment.corners, by_hand=True) if treatment.corners else None
    found = examine_known(store, capture, treatment, known, compute, max_px).treatment
    record_flattened(MACHINE, store, page_id, found, capture.id)


@transaction
def record_flattened(caller: Caller, session: Session, page_id: int, found: Treatment, capture_id: int) -> None:
    """Record what was found on a sheet by corners that a person has placed, unless those are others by now."""
    page = _still_waiting(caller, session, page_id)
    if page is not None and page.capture_id == capture_id and treatment_of(page).corners == found.corners:
        _note(session, page, found)


@transaction
def leave_as_flattened(caller: Caller, session: Session, page_id: int) -> None:
    """Leave a sheet that could not be examined as its corners make it: neither turned, nor cropped, nor bent back."""
    page = _still_waiting(caller, session, page_id)
    if page is not None:
        _note(session, page, Treatment(straighten=Straightening(skew_deg=0.0, confidence=0.0, on=False)))


def _still_waiting(caller: Caller, session: Session, page_id: int) -> Page | None:
    """Return a page in a Mappe that waits to be examined by its corners, with its Mappe locked."""
    page = session.get_one(Page, page_id)
    if page.mappe_id is None:
        return None
    locked_mappe(caller, session, page.mappe_id)
    session.refresh(page)
    return page if treatment_of(page).waits_to_be_examined else None


def _note(session: Session, page: Page, found: Treatment) -> None:
    mappe = session.get_one(Mappe, page.mappe_id)
    machine_entry(session, mappe, {page.id: found.model_dump(mode="json", include=set(FOUND_ON_SHEET))})
