"""Numbering the changes that windows are told about."""

from sqlalchemy.orm import Session

from papiermappe.store.database import notify
from papiermappe.store.models import CHANGE_SEQ, Filing, Mappe, Run


def next_change(session: Session, *mappen: Mappe) -> int:
    """Take the next number for a change of Mappen, which must be locked, and notify their windows."""
    number: int = session.scalar(CHANGE_SEQ.next_value()) or 0
    for mappe in mappen:
        mappe.change = number
        notify(session, mappe.id)
    return number


def run_changed(session: Session, mappe: Mappe, run: Run) -> None:
    """Notify windows that a run has changed. The Mappe must be locked."""
    run.change = next_change(session, mappe)


def filing_changed(session: Session, mappe: Mappe, filing: Filing) -> None:
    """Notify windows that a filing has changed. The Mappe must be locked."""
    filing.change = next_change(session, mappe)
