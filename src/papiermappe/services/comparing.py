"""What only the pages of a run together tell: the same side taken twice, and which back belongs to which front."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.order.places import Side
from papiermappe.core.order.twins import Sameness
from papiermappe.services import cutting, pairing_by_itself, running_routines, splitting
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.imprints import compared_in_turn
from papiermappe.services.journal import machine_entry
from papiermappe.services.pages import analysis_of, in_turn
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Page, Run

SAME_CONFIDENCE = 0.9


def compare_run(store: Store, run_id: int, compute: Compute, max_px: int) -> None:
    """Point out what came twice in a run; do to its pages what was wished beforehand."""
    for side in Side:
        with store.begin() as session:
            brought = select(Page).join(Page.capture).where(Capture.run_id == run_id, Page.side == side)
            pages = session.scalars(in_turn(brought)).all()
        compared = compared_in_turn(store, pages, compute, max_px)
        twice = [page.id for page, found in zip(pages, compared, strict=True) if found.again is Sameness.SAME]
        if twice:
            point_out(MACHINE, store, run_id, twice)
    splitting.split_by_itself(store, run_id)
    pairing_by_itself.pair_by_itself(store, run_id, compute, max_px)
    cutting.cut_by_itself(store, run_id)
    running_routines.run_by_itself(store, run_id)


@transaction
def point_out(caller: Caller, session: Session, run_id: int, twice: Sequence[int]) -> None:
    """Note on pages that they are the same as the ones before them."""
    run = session.get_one(Run, run_id)
    mappe = locked_mappe(caller, session, run.mappe_id)
    found = Finding(kind=FindingKind.SAME_AGAIN, confidence=SAME_CONFIDENCE)
    noted = []
    for page in session.scalars(select(Page).where(Page.id.in_(twice), Page.mappe_id == mappe.id)):
        analysis = analysis_of(page)
        if analysis is not None and not any(finding.kind is found.kind for finding in analysis.findings):
            page.analysis = analysis.model_copy(update={"findings": (*analysis.findings, found)}).model_dump(
                mode="json"
            )
            noted.append(page.id)
    if noted:
        machine_entry(session, mappe, {page_id: {} for page_id in noted})
