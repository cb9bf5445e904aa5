"""Undoing and redoing entries of the journal.

An entry sets fields of pages and nothing else, so that undoing a turn leaves alone what the machine has found on the
page since. It is refused where a person has since set the same field.
"""

from collections.abc import Collection, Mapping
from decimal import Decimal
from typing import Any, NamedTuple

from sqlalchemy import ScalarSelect, case, select
from sqlalchemy.orm import Session, aliased

from papiermappe.core.operations.model import Changes, Fields
from papiermappe.core.order.places import Side, ranks_between
from papiermappe.core.treatment import Treatment
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, may_see, visible_mappe
from papiermappe.services.entries import PAGE_FIELDS, write_entry
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.history import told_of
from papiermappe.services.pages import page_state
from papiermappe.services.places import PLACE_FIELDS
from papiermappe.services.transaction import transaction
from papiermappe.store.models import EntryKind, JournalChange, JournalEntry, JournalMappe, Mappe, Page


@transaction
def undo(caller: Caller, session: Session, mappe_id: int, seq: int | None = None) -> int:
    """Take an entry back; without one, the newest that the caller has made and that stands.

    A window does not name the entry: what its person did a moment ago it may not have heard of yet.

    Raises:
        NotFound: Mappe or entry are not there.
        NotPossible: there is nothing to undo.
        ChangedMeanwhile: somebody has set the same field since.
    """
    visible_mappe(caller, session, mappe_id)
    chosen = undo_stack(session, mappe_id, caller.author).undo if seq is None else seq
    if chosen is None:
        raise NotPossible("nothing_to_undo")
    return _reverse(caller, session, mappe_id, chosen, EntryKind.UNDO)


@transaction
def redo(caller: Caller, session: Session, mappe_id: int, seq: int | None = None) -> int:
    """Do an entry again that was undone; without one, what the caller has undone last. Raises as `undo` does."""
    visible_mappe(caller, session, mappe_id)
    chosen = undo_stack(session, mappe_id, caller.author).redo if seq is None else seq
    if chosen is None:
        raise NotPossible("nothing_to_redo")
    return _reverse(caller, session, mappe_id, chosen, EntryKind.REDO)


class UndoStack(NamedTuple):
    """The entries that undo and redo of one person would take."""

    undo: int | None
    redo: int | None


def undo_stack(session: Session, mappe_id: int, author: str) -> UndoStack:
    """Return what a person's undo and redo would take in a Mappe. A new change ends what could be redone."""
    done = select(JournalEntry.seq).join(JournalMappe, JournalMappe.seq == JournalEntry.seq)
    done = done.where(
        JournalMappe.mappe_id == mappe_id, JournalEntry.author == author, JournalEntry.kind == EntryKind.DO
    )
    newest_first = done.order_by(JournalEntry.seq.desc()).limit(1)
    newest = session.scalar(newest_first)
    if newest is None:
        return UndoStack(None, None)
    undone_by = undone_by_of(JournalEntry.seq)
    undoable = session.scalar(newest_first.where(undone_by.is_(None)))
    redoable = session.scalar(done.where(undone_by > newest).order_by(undone_by.desc()).limit(1))
    return UndoStack(undoable, redoable)


def undone_by_of(seq: Any) -> ScalarSelect[int | None]:
    """Return, as SQL, the entry that has undone entry `seq`; null where that stands, or stands again."""
    step = aliased(JournalEntry)
    steps = select(case((step.kind == EntryKind.UNDO, step.seq))).where(step.of_seq == seq)
    return steps.order_by(step.seq.desc()).limit(1).scalar_subquery()


def _reverse(caller: Caller, session: Session, mappe_id: int, seq: int, kind: EntryKind) -> int:
    touched = session.scalars(select(JournalMappe).where(JournalMappe.seq == seq)).all()
    if mappe_id not in {row.mappe_id for row in touched}:
        raise NotFound("entry_gone")
    # pages come back also from a Mappe that has been cleared away since
    mappen = {number: locked_mappe(MACHINE, session, number) for number in sorted(row.mappe_id for row in touched)}
    entry = session.get_one(JournalEntry, seq)
    undoing = kind is EntryKind.UNDO
    is_undone = session.scalar(select(undone_by_of(seq))) is not None
    if entry.kind is not EntryKind.DO or is_undone is undoing:
        raise NotPossible("nothing_to_undo" if undoing else "nothing_to_redo")
    rows = session.scalars(select(JournalChange).where(JournalChange.seq == seq)).all()
    found = session.scalars(select(Page).where(Page.id.in_([row.page_id for row in rows]))).all()
    pages = {page.id: page for page in found}
    changes: dict[int, Fields] = {}
    for row in rows:
        before, after = _as_written_today(row.before), _as_written_today(row.after)
        expected, changes[row.page_id] = (after, before) if undoing else (before, after)
        now = page_state(pages[row.page_id]).fields(expected)
        differing = {name for name, value in expected.items() if now[name] != value}
        if differing and (later := _set_later(session, row.page_id, differing, seq)):
            raise ChangedMeanwhile("changed_since", entry=later)
    mappe_fields = {of.mappe_id: dict((of.before if undoing else of.after) or {}) for of in touched}
    for mappe_row in touched:
        _drop_renamed(mappen[mappe_row.mappe_id], mappe_row, undoing, mappe_fields.get(mappe_row.mappe_id, {}))
    _refuse_cleared(caller, mappen, changes, mappe_fields)
    return write_entry(
        session,
        kind,
        _into_free_places(session, pages, changes),
        pages,
        mappen,
        author=caller.author,
        of_seq=seq,
        mappe_fields=mappe_fields,
    )


def _drop_renamed(mappe: Mappe, row: JournalMappe, undoing: bool, fields: dict[str, Any]) -> None:
    """Leave the subject of a Mappe alone where somebody has given it another one since."""
    expected = (row.after if undoing else row.before) or {}
    if "subject" in fields and mappe.subject != expected["subject"]:
        del fields["subject"]


def _refuse_cleared(
    caller: Caller, mappen: Mapping[int, Mappe], changes: Changes, mappe_fields: Mapping[int, Fields]
) -> None:
    """Refuse to put pages into a Mappe that has been cleared away, unless it is taken back with them."""
    into = {fields["mappe_id"] for fields in changes.values() if fields.get("mappe_id") is not None}
    for number in into:
        if not may_see(caller, mappen[number]) and not mappe_fields.get(number, {}).get("there"):
            raise NotFound("mappe_gone")


def _as_written_today(fields: Fields) -> Fields:
    """Return fields of an entry with what has been added to a treatment since it was written."""
    treated = {
        name: value
        for name, value in fields.items()
        if (field := Treatment.model_fields.get(name)) and (value is not None or field.default is None)
    }
    whole = Treatment.model_validate(treated).model_dump(mode="json")
    return {name: whole.get(name, value) for name, value in fields.items() if name in whole or name in PAGE_FIELDS}


def _set_later(session: Session, page_id: int, names: Collection[str], seq: int) -> Any:
    """Return the message of the newest entry by a person that set one of a page's fields after `seq`.

    None where only the machine did, or the newest is the undoing of that entry itself. What has been done since and
    undone again does not count.
    """
    later = (
        select(JournalChange.seq, JournalChange.after, JournalEntry.kind, JournalEntry.of_seq)
        .join(JournalEntry, JournalEntry.seq == JournalChange.seq)
        .where(JournalChange.page_id == page_id, JournalChange.seq > seq, JournalEntry.kind != EntryKind.MACHINE)
        .order_by(JournalChange.seq.desc())
    )
    undone: set[int] = set()
    for row in session.execute(later):
        if not row.after.keys() & set(names) or {row.seq, row.of_seq} & undone:
            continue
        if row.of_seq == seq:
            return None
        if row.kind is not EntryKind.UNDO or row.of_seq < seq:
            return told_of(session, [row.seq])[row.seq].model_dump(mode="json")
        undone.add(row.of_seq)
    return None


def _into_free_places(session: Session, pages: Mapping[int, Page], changes: Changes) -> Changes:
    """Return the changes with ranks moved beside any sheet that has meanwhile taken their place."""
    going = {
        page_id: (
            fields.get("mappe_id", pages[page_id].mappe_id),
            Decimal(fields["rank"]) if "rank" in fields else pages[page_id].rank,
            Side(fields.get("side", pages[page_id].side)),
        )
        for page_id, fields in changes.items()
        if PLACE_FIELDS & fields.keys()
    }
    if not going:
        return changes
    mappen = {mappe_id for mappe_id, _, _ in going.values()}
    others = session.execute(
        select(Page.mappe_id, Page.rank, Page.side).where(Page.mappe_id.in_(mappen), Page.id.not_in(list(going)))
    ).all()
    taken = {(row.mappe_id, row.rank, row.side) for row in others}
    crowded = {(mappe_id, rank) for mappe_id, rank, side in going.values() if (mappe_id, rank, side) in taken}
    moved = {}
    for mappe_id, rank in crowded:
        above = min((row.rank for row in others if row.mappe_id == mappe_id and row.rank > rank), default=None)
        moved[mappe_id, rank] = ranks_between(rank, above, 1)[0]
    return {
        page_id: {**fields, "rank": str(moved[going[page_id][:2]])} if going.get(page_id, ())[:2] in moved else fields
        for page_id, fields in changes.items()
    }
