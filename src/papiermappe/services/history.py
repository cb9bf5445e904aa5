"""The history of a Mappe, in codes."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import Row, Select, func, select
from sqlalchemy.orm import Session, aliased

from papiermappe.core.operations import JOURNALED
from papiermappe.message import Message
from papiermappe.store.models import EntryKind, JournalChange, JournalEntry, JournalMappe

SHOWN = 30
MOST_LINES = 2000


class HistoryLine(BaseModel):
    """One line of the history."""

    seq: int
    at: datetime
    message: Message


def history(session: Session, mappe_id: int, since: int = 0) -> list[HistoryLine]:
    """Return the history lines of a Mappe's newest entries after `since`, newest first."""
    lines = _entries().join(JournalMappe, JournalMappe.seq == JournalEntry.seq)
    lines = lines.where(JournalMappe.mappe_id == mappe_id, JournalEntry.seq > since)
    rows = session.execute(lines.order_by(JournalEntry.seq.desc()).limit(SHOWN)).all()
    return [HistoryLine(seq=row.seq, at=row.at, message=_message(row)) for row in rows]


def whole_history(session: Session, mappe_id: int) -> list[HistoryLine]:
    """Return all history lines of a Mappe, the oldest first; of a very long one the newest."""
    lines = _entries().join(JournalMappe, JournalMappe.seq == JournalEntry.seq)
    lines = lines.where(JournalMappe.mappe_id == mappe_id).order_by(JournalEntry.seq.desc()).limit(MOST_LINES)
    rows = session.execute(lines).all()
    return [HistoryLine(seq=row.seq, at=row.at, message=_message(row)) for row in reversed(rows)]


def told_of(session: Session, seqs: Sequence[int]) -> dict[int, Message]:
    """Return the messages of entries by their numbers, without the entries that are not shown."""
    rows = session.execute(_entries().where(JournalEntry.seq.in_(seqs))).all()
    return {row.seq: _message(row) for row in rows}


def _entries() -> Select[Any]:
    """Select the entries that are shown, with what their messages need."""
    original = aliased(JournalEntry)
    pages = (
        select(func.count())
        .where(JournalChange.seq == func.coalesce(JournalEntry.of_seq, JournalEntry.seq))
        .scalar_subquery()
    )
    columns = (
        JournalEntry.seq,
        JournalEntry.at,
        JournalEntry.kind,
        JournalEntry.message,
        func.coalesce(JournalEntry.operation, original.operation).label("operation"),
        original.message.label("original_message"),
        pages.label("pages"),
    )
    told = JournalEntry.message.is_not(None) | JournalEntry.operation.is_not(None) | JournalEntry.of_seq.is_not(None)
    return select(*columns).outerjoin(original, original.seq == JournalEntry.of_seq).where(told)


def _message(row: Row[Any]) -> Message:
    if row.kind in {EntryKind.UNDO, EntryKind.REDO}:
        return Message(code=f"{row.kind.value}_of", params={"entry": _original(row).model_dump(mode="json")})
    return _original(row)


def _original(row: Row[Any]) -> Message:
    if row.operation is not None:
        return JOURNALED.validate_python(row.operation).message(row.pages)
    return Message.model_validate(row.message or row.original_message)
