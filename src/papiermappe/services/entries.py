"""Entries of the journal, written: fields of pages and of Mappen are set, and what they were before is kept."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.core.operations.model import Changes, Fields
from papiermappe.core.order.places import Side
from papiermappe.core.treatment import Treatment
from papiermappe.services.changes import next_change
from papiermappe.services.live_runs import is_receiving
from papiermappe.services.pages import page_state
from papiermappe.store.models import EntryKind, JournalChange, JournalEntry, JournalMappe, Mappe, Page
from papiermappe.store.queue import JobKind, enqueue, read_soon

PLACE_FIELDS = frozenset({"mappe_id", "rank", "side", "set_aside"})
ORDER_FIELDS = PLACE_FIELDS | {"begins"}
PAGE_FIELDS = ORDER_FIELDS | {"capture_id"}
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
    for page_id, fields in changes.items():
        page = pages[page_id]
        if fields:
            now = page_state(page).fields()
            before = {name: now[name] for name in fields}
            session.add(JournalChange(page_id=page_id, seq=seq, before=before, after=dict(fields)))
            _set(session, page, fields)
        page.revision = seq
    for mappe_id, own in (mappe_fields or {}).items():
        if own:
            touched[mappe_id].before, touched[mappe_id].after = _set_of_mappe(session, mappen[mappe_id], own)
    for to_read in {pages[page_id].mappe_id for page_id in _to_read(changes)}:
        if to_read is not None:
            read_soon(session, to_read)
    return seq


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
    return [page_id for page_id, fields in changes.items() if not fields or not ORDER_FIELDS.issuperset(fields)]


def _set(session: Session, page: Page, fields: Fields) -> None:
    if "mappe_id" in fields:
        page.mappe_id = fields["mappe_id"]
        if page.mappe_id is not None and page.analysis is None:
            enqueue(session, JobKind.ANALYSE, page_id=page.id)
    if "rank" in fields:
        page.rank = Decimal(fields["rank"])
    if "side" in fields:
        page.side = Side(fields["side"])
    if "set_aside" in fields:
        page.set_aside = fields["set_aside"]
    if "begins" in fields:
        page.begins = fields["begins"]
    if fields.get("capture_id", page.capture_id) != page.capture_id:
        page.capture_id, page.analysis, page.printed = fields["capture_id"], None, None
        session.flush()
        session.refresh(page, ["capture"])
        enqueue(session, JobKind.ANALYSE, page_id=page.id)
    treated = {name: value for name, value in fields.items() if name not in PAGE_FIELDS}
    if treated:
        page.treatment = Treatment.model_validate({**page.treatment, **treated}).model_dump(mode="json")
