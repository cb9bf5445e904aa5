"""Ending or enqueueing again what killed, lost or given-up jobs have left, so that nothing is stuck."""

import structlog
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.treatment import Treatment
from papiermappe.devices.model import Source, TicketSettings
from papiermappe.message import Message
from papiermappe.services import delivering, making, runs
from papiermappe.services.analysing import record_analysis
from papiermappe.services.caller import MACHINE
from papiermappe.services.flattening import leave_as_flattened
from papiermappe.store.database import Store
from papiermappe.store.models import (
    TO_BE_FLATTENED,
    Delivery,
    DeliveryState,
    Document,
    Filing,
    FilingState,
    Page,
    Run,
    RunOrigin,
    RunState,
)
from papiermappe.store.queue import JobKind, live_job_ids

log = structlog.get_logger()


def reconcile(store: Store) -> int:
    """End or enqueue again whatever waits for a job that no longer exists; return how many things that were.

    A job that was given up is not enqueued again: what it did could not be done several times. Pages that were not read
    ahead need nothing: they are read when they are filed. Pictures are requested again by who shows them.
    """
    with store.begin() as session:
        session.connection(
            execution_options={"isolation_level": "REPEATABLE READ"}
        )  # jobs and rows as of the same moment
        orphaned_runs = _runs(session)
        orphaned_filings = _filings(session)
        orphaned_deliveries = _deliveries(session)
        orphaned_pages = _pages(session)
        orphaned_sheets = _sheets(session)
    for run_id in orphaned_runs:
        log.warning("a run without a job is ended", action="run.reconciled", run_id=run_id)
        _interrupt(store, run_id)
    for filing_id in orphaned_filings:
        log.warning("a filing without a job is ended", action="filing.reconciled", filing_id=filing_id)
        making.end(MACHINE, store, filing_id, FilingState.FAILED, Message(code="filing_given_up"))
    for delivery_id in orphaned_deliveries:
        log.warning("a delivery without a job is ended", action="delivery.reconciled", delivery_id=delivery_id)
        delivering.fail(MACHINE, store, delivery_id, Message(code="delivery_given_up"))
    for page_id in orphaned_pages:
        log.warning("a page without a job is left as scanned", action="page.reconciled", page_id=page_id)
        record_analysis(MACHINE, store, page_id, NOT_ANALYSED)
    for page_id in orphaned_sheets:
        log.warning("a sheet without a job is left as its corners make it", action="sheet.reconciled", page_id=page_id)
        leave_as_flattened(MACHINE, store, page_id)
    orphaned = (orphaned_runs, orphaned_filings, orphaned_deliveries, orphaned_pages, orphaned_sheets)
    return sum(map(len, orphaned))


NOT_ANALYSED = Analysis(
    treatment=Treatment(),
    findings=(Finding(kind=FindingKind.NOT_ANALYSED, confidence=1.0),),
    colour=ColourKind.COLOUR,
)
"""What is written down of a page that could not be analysed: it stays as it was scanned, and a person is told."""


def _runs(session: Session) -> list[int]:
    live = live_job_ids(session, JobKind.RECEIVE, "run_id")
    # Files are received by the web server, for as long as that takes: importing.sweep ends what falls silent.
    receiving = select(Run.id).where(Run.state == RunState.RECEIVING, Run.origin == RunOrigin.SCANNER)
    return [run_id for run_id in session.scalars(receiving) if run_id not in live]


def _filings(session: Session) -> list[int]:
    live = live_job_ids(session, JobKind.MAKE, "filing_id")
    under_way = Filing.state.in_([FilingState.QUEUED, FilingState.MAKING])
    return [row for row in session.scalars(select(Filing.id).where(under_way)) if row not in live]


def _deliveries(session: Session) -> list[int]:
    live = live_job_ids(session, JobKind.DELIVER, "delivery_id")
    under_way = Delivery.state.in_([DeliveryState.WAITING, DeliveryState.DELIVERING])
    made = select(Delivery.id).join(Document, Document.id == Delivery.document_id)
    made = made.where(under_way, Document.sha256.is_not(None))
    return [row for row in session.scalars(made) if row not in live]


def _pages(session: Session) -> list[int]:
    live = live_job_ids(session, JobKind.ANALYSE, "page_id")
    waiting = select(Page.id).where(Page.analysis.is_(None))
    return [row for row in session.scalars(waiting) if row not in live]


def _sheets(session: Session) -> list[int]:
    live = live_job_ids(session, JobKind.EXAMINE_FLATTENED, "page_id")
    waiting = select(Page.id).where(text(TO_BE_FLATTENED), Page.analysis.is_not(None), Page.mappe_id.is_not(None))
    return [row for row in session.scalars(waiting) if row not in live]


def _interrupt(store: Store, run_id: int) -> None:
    run, so_far = runs.read_run(store, run_id)
    source = TicketSettings.model_validate(run.ticket).source if run.ticket else Source.GLASS
    message = runs.interruption(so_far, Message(code="run_given_up"), source, stuck=False)
    runs.end(MACHINE, store, run_id, RunState.INTERRUPTED, message)
