"""Removing what nothing uses any more, and checking that files on disk and rows agree."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

import structlog
from sqlalchemy import ColumnElement, delete, exists, select, text
from sqlalchemy.orm import Session

from papiermappe.core.treatment import Treatment
from papiermappe.message import Message
from papiermappe.services.mappen import KEPT_DAYS
from papiermappe.services.pages import picture_name
from papiermappe.store.blobs import Blobs, sha256_of
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing
from papiermappe.store.models import (
    Capture,
    Document,
    JournalChange,
    JournalEntry,
    JournalMappe,
    Mappe,
    Page,
    Receipt,
    Run,
)

log = structlog.get_logger()

RECEIPTS_KEPT = timedelta(days=2)
FAILED_JOBS_KEPT_DAYS = 7
YOUNG = timedelta(hours=1)  # files are written before their rows: one this young may be about to get its row
PICTURES_KEPT = timedelta(days=7)
BATCH = 500


def tidy_up(store: Store, now: datetime) -> None:
    """Remove Mappen cleared more than 30 days ago, then files that no row needs, receipts and failed jobs of long ago.

    May be killed at any point and run again: rows go first, and a file without a row is found by the next round.
    """
    with store.begin() as session:
        due = Mappe.cleared_at < now - timedelta(days=KEPT_DAYS)
        holds = exists().where(Page.mappe_id == Mappe.id) | exists().where(JournalMappe.mappe_id == Mappe.id)
        cleared = session.scalars(select(Mappe.id).where(due, holds)).all()
    for mappe_id in cleared:
        log.info("a cleared Mappe is removed", action="mappe.removed", mappe_id=mappe_id)
        store.run(lambda session, mappe_id=mappe_id: _remove_pages(session, mappe_id))  # type: ignore[misc]  # bound now
    removed = _sweep(store, now)
    store.run(lambda session: _forget(session, now))
    if removed:
        log.info("files that nothing uses are removed", action="files.removed", count=removed)


def _remove_pages(session: Session, mappe_id: int) -> None:
    """Remove all that a Mappe holds; its row and what was filed of it stay."""
    mappe = session.get(Mappe, mappe_id, with_for_update=True)
    if mappe is None or mappe.cleared_at is None:
        return
    pages = select(Page.id).where(Page.mappe_id == mappe_id).scalar_subquery()
    session.execute(delete(JournalChange).where(JournalChange.page_id.in_(pages)))
    session.execute(delete(Page).where(Page.mappe_id == mappe_id))
    session.execute(delete(JournalMappe).where(JournalMappe.mappe_id == mappe_id))
    _remove_undone_copies(session)
    without_mappe = ~exists().where(JournalMappe.seq == JournalEntry.seq)
    orphans = select(JournalEntry.seq).where(without_mappe).scalar_subquery()
    session.execute(delete(JournalChange).where(JournalChange.seq.in_(orphans)))
    session.execute(delete(JournalEntry).where(without_mappe))
    session.execute(delete(Capture).where(~_is_needed()))
    session.execute(delete(Run).where(Run.mappe_id == mappe_id, ~exists().where(Capture.run_id == Run.id)))


def _remove_undone_copies(session: Session) -> None:
    """Remove pages that lie nowhere, and that no entry of a Mappe can bring back."""
    in_a_mappe = exists().where(JournalChange.page_id == Page.id, JournalMappe.seq == JournalChange.seq)
    nowhere = select(Page.id).where(Page.mappe_id.is_(None), ~in_a_mappe)
    session.execute(delete(JournalChange).where(JournalChange.page_id.in_(nowhere.scalar_subquery())))
    session.execute(delete(Page).where(Page.mappe_id.is_(None), ~in_a_mappe))


def _is_needed() -> ColumnElement[bool]:
    """Whether a capture is that of a page, or was before it was scanned again: undo brings it back."""
    replaced = JournalChange.before["capture_id"].as_integer()
    return exists().where(Page.capture_id == Capture.id) | exists().where(replaced == Capture.id)


def _sweep(store: Store, now: datetime) -> int:
    """Remove files that no row needs; return how many."""
    removed = 0
    for keys in _batches(store, "captures", now - YOUNG):
        with store.begin() as session:
            wanted = select(Capture.sha256).where(Capture.sha256.in_([_last(key) for key in keys]))
            used = set(session.scalars(wanted))
        removed += _remove(store, [key for key in keys if _last(key) not in used])
    pictures = _pictures_in_use(store)
    for prefix in ("pictures", "readings", "estimates", "imprints", "leaves"):
        for keys in _batches(store, prefix, now - PICTURES_KEPT):
            removed += _remove(store, [key for key in keys if _last(key).partition("-")[0] not in pictures])
    for keys in _batches(store, "looks", now - YOUNG):
        removed += _remove(store, keys)
    return removed


def _batches(store: Store, prefix: str, older_than: datetime) -> Iterator[list[str]]:
    batch: list[str] = []
    for key, written, _ in list(store.blobs.list_keys(prefix)):
        if written < older_than:
            batch.append(key)
        if len(batch) == BATCH:
            yield batch
            batch = []
    if batch:
        yield batch


def _remove(store: Store, keys: list[str]) -> int:
    for key in keys:
        store.blobs.remove(key)
    return len(keys)


def _pictures_in_use(store: Store) -> set[str]:
    """Return the names of the pictures of all pages, as scanned and as treated now."""
    names: set[str] = set()
    with store.begin() as session:
        for page in session.scalars(select(Page).execution_options(yield_per=BATCH)):
            names |= {picture_name(page), Treatment().picture_key(page.capture.sha256)}
    return names


def _last(key: str) -> str:
    return key.rsplit("/", 1)[-1]


def _forget(session: Session, now: datetime) -> None:
    session.execute(delete(Receipt).where(Receipt.at < now - RECEIPTS_KEPT))
    old_failures = (
        "delete from procrastinate_jobs where status in ('failed', 'aborted', 'cancelled')"
        " and not exists (select from procrastinate_events where job_id = procrastinate_jobs.id"
        " and at > now() - make_interval(days => :days))"
    )
    session.execute(text(old_failures), {"days": FAILED_JOBS_KEPT_DAYS})


class CheckReport(NamedTuple):
    """What a check found."""

    captures: int
    documents: int
    problems: list[Message]
    """Something is lost or damaged."""
    leftovers: list[Message]
    """Something is there that nothing uses; it is removed by itself."""


def check(store: Store) -> CheckReport:
    """Compare every capture and filed document with its checksum, and every file with the rows."""
    with store.begin() as session:
        captures = session.execute(select(Capture.id, Capture.sha256)).all()
        documents = session.execute(
            select(Document.file_name, Document.sha256).where(Document.sha256.is_not(None))
        ).all()
    problems = [
        *(
            problem
            for row in captures
            if (problem := _problem(store, Blobs.capture_key(row.sha256), row.sha256, "capture", row.id))
        ),
        *(
            problem
            for row in documents
            if (problem := _problem(store, Blobs.document_key(row.sha256), row.sha256, "document", row.file_name))
        ),
    ]
    known = {row.sha256 for row in captures}
    old = datetime.now(UTC) - YOUNG
    leftovers = [
        Message(code="check_leftover", params={"key": key, "bytes": size})
        for key, written, size in store.blobs.list_keys("captures")
        if _last(key) not in known and written < old
    ]
    return CheckReport(len(captures), len(documents), problems, leftovers)


def _problem(store: Store, key: str, sha256: str, what: str, which: int | str) -> Message | None:
    try:
        whole = sha256_of(store.blobs.get(key)) == sha256
    except BlobMissing:
        return Message(code=f"check_{what}_missing", params={"which": which, "key": key})
    return None if whole else Message(code=f"check_{what}_damaged", params={"which": which, "key": key})
