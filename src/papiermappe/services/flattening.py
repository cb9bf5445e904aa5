"""Sheets whose corners a person has placed: what is found on them as they then are."""

from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.treatment import FOUND_ON_SHEET, Treatment
from papiermappe.services.analysing import examine_known
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.journal import machine_entry
from papiermappe.services.pages import treatment_of
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Page


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
    page = session.get_one(Page, page_id)
    if page.mappe_id is None:
        return
    mappe = locked_mappe(caller, session, page.mappe_id)
    session.refresh(page)
    now = treatment_of(page)
    if page.capture_id == capture_id and now.waits_to_be_examined and now.corners == found.corners:
        machine_entry(session, mappe, {page_id: found.model_dump(mode="json", include=set(FOUND_ON_SHEET))})
