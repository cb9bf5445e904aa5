"""Numbering what windows are told of."""

from sqlalchemy.orm import Session

from papiermappe.store.database import notify
from papiermappe.store.models import CHANGE_SEQ, Filing, Mappe, Run


def next_change(session: Session, *mappen: Mappe) -> int:
    """Take the next number for a change of Mappen, which must be locked, and have their windows told of it."""
    number: int = session.scalar(CHANGE_SEQ.next_value()) or 0
    for mappe in mappen:
        mappe.change = number
        notify(session, mappe.id)
    return number


def run_changed(session: Session, mappe: Mappe, run: Run) -> None:
    """Have windows told that a run has changed. The Mappe must be locked."""
    run.change = next_change(session, mappe)


def filing_changed(session: Session, mappe: Mappe, filing: Filing) -> None:
    """Have windows told that a filing has changed. The Mappe must be locked."""
    filing.change = next_change(session, mappe)
