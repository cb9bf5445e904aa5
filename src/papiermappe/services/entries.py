"""Entries of the journal, written: fields of pages and of Mappen are set, and what they were before is kept."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.core.operations.model import Changes, Fields
from papiermappe.core.treatment import Treatment
from papiermappe.services.changes import next_change
from papiermappe.services.live_runs import is_receiving
from papiermappe.services.pages import page_state
from papiermappe.services.places import LYING_FIELDS
from papiermappe.store import bulk
from papiermappe.store.models import EntryKind, JournalEntry, JournalMappe, Mappe, Page
from papiermappe.store.queue import JobKind, enqueue, read_soon

ORDER_FIELDS = LYING_FIELDS | {"mappe_id"}
PAGE_FIELDS = ORDER_FIELDS | {"capture_id", "accepted"}
"""Those that are not of the treatment."""

MappeFields = Mapping[int, Fields]
"""By the Mappe's id, what an entry sets of the Mappe itself: its `subject`, whether it is `there`."""


def write_entry(
    session: Session,
    kind: EntryKind,
    changes: Changes,
    pages: Mapping[int, Page],
    mappen: Mapping[int, Mappe],
    *,
    author: str = "",
    operation: Fields | None = None,
    message: Fields | None = None,
    of_seq: int | None = None,
    mappe_fields: MappeFields | None = None,
) -> int:
    """Set fields of pages and of Mappen, and write down what was done; return the number of the entry.

    Args:
        session: of the transaction.
        kind: what the entry is to undo and redo.
        changes: the fields of pages.
        pages: all that change, by their ids.
        mappen: all that the entry touches, locked, by their ids.
        author: who did it; empty for the machine.
        operation: what was done.
        message: what happened, where it is no operation.
        of_seq: the entry that is undone or redone.
        mappe_fields: what is set of Mappen themselves.
    """
    seq = next_change(session, *mappen.values())
    entry = JournalEntry(seq=seq, kind=kind, of_seq=of_seq, author=author, operation=operation, message=message)
    session.add(entry)
    session.flush()
    touched = {mappe_id: JournalMappe(mappe_id=mappe_id, seq=seq) for mappe_id in mappen}
    session.add_all(touched.values())
    written = {page: (_now(pages[page], fields), fields) for page, fields in changes.items() if fields}
    bulk.write_down(session, seq, written)
    together = {pages[page]: _set(session, pages[page], fields) for page, fields in changes.items()}
    changed = {
        page
        for page, fields in changes.items()
        # what the machine sets comes with something that it has found
        if kind is EntryKind.MACHINE or not fields or not LYING_FIELDS.issuperset(fields)
    }
    bulk.set_pages(session, seq, together, changed)
    for mappe_id, own in (mappe_fields or {}).items():
        if own:
            touched[mappe_id].before, touched[mappe_id].after = _set_of_mappe(session, mappen[mappe_id], own)
    for to_read in {pages[page_id].mappe_id for page_id in _to_read(changes)}:
        if to_read is not None:
            read_soon(session, to_read)
    return seq


def _now(page: Page, fields: Fields) -> dict[str, Any]:
    """Return what fields of a page are now."""
    return page_state(page, with_treatment=not PAGE_FIELDS.issuperset(fields)).fields(fields)


def _set_of_mappe(session: Session, mappe: Mappe, fields: Fields) -> tuple[dict[str, Any], dict[str, Any]]:
    """Set fields of a Mappe; return those that were set, before and after."""
    before: dict[str, Any] = {}
    after: dict[str, Any] = {}
    if "subject" in fields:
        before["subject"], after["subject"] = mappe.subject, fields["subject"]
        mappe.subject, mappe.subject_change = fields["subject"], mappe.change
    if "there" in fields:
        before["there"], after["there"] = not fields["there"], fields["there"]
        session.flush()
        if fields["there"]:
            mappe.cleared_at = None
        elif not _holds_something(session, mappe):
            mappe.cleared_at = datetime.now(UTC)
    return before, after


def _holds_something(session: Session, mappe: Mappe) -> bool:
    """Return whether pages lie in a Mappe, or are on their way into it."""
    return bool(session.scalar(select(exists().where(Page.mappe_id == mappe.id)))) or is_receiving(session, mappe.id)


def _to_read(changes: Changes) -> Sequence[int]:
    """Return the pages that have arrived or now look different."""
    return [
        page for page, fields in changes.items() if not fields or not (ORDER_FIELDS | {"accepted"}).issuperset(fields)
    ]


def _set(session: Session, page: Page, fields: Fields) -> dict[str, Any]:
    """Set what few entries set, one page after the other; return the fields that are set on all pages at once."""
    if "mappe_id" in fields:
        page.mappe_id = fields["mappe_id"]
        if page.mappe_id is not None and page.analysis is None:
            enqueue(session, JobKind.ANALYSE, page_id=page.id)
    if fields.get("capture_id", page.capture_id) != page.capture_id:
        page.capture_id, page.analysis, page.printed = fields["capture_id"], None, None
        session.flush()
        session.refresh(page, ["capture"])
        enqueue(session, JobKind.ANALYSE, page_id=page.id)
    together = {name: value for name, value in fields.items() if name in LYING_FIELDS or name == "accepted"}
    treated = {name: value for name, value in fields.items() if name not in PAGE_FIELDS}
    if treated:
        now = Treatment.model_validate({**page.treatment, **treated})
        together["treatment"] = now.model_dump(mode="json")
        if "corners" in treated and now.waits_to_be_examined:
            enqueue(session, JobKind.EXAMINE_FLATTENED, page_id=page.id)
    return together
