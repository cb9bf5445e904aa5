"""The journal: everything that was done to pages or happened to them, with what it touched before and after.

An entry sets fields of pages and nothing else, so that undoing a turn leaves alone what the machine has found on the
page since. People conflict only where both have set the same field of the same page; the machine conflicts with nobody.
"""

from collections.abc import Collection, Mapping, Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any, NamedTuple

from sqlalchemy import ScalarSelect, case, exists, select
from sqlalchemy.orm import Session, aliased, lazyload

from papiermappe.core.operations import Journaled, MoveToMappe, Operation, TakeAgain
from papiermappe.core.operations.model import Changes, Fields
from papiermappe.core.order.places import Side, ranks_between
from papiermappe.core.treatment import Treatment
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller, locked_mappe, may_see, visible_mappe
from papiermappe.services.changes import next_change
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.services.history import told_of
from papiermappe.services.pages import page_state, page_states, pages_of
from papiermappe.services.transaction import transaction
from papiermappe.store.models import (
    Capture,
    EntryKind,
    JournalChange,
    JournalEntry,
    JournalMappe,
    Mappe,
    Page,
    Run,
    RunState,
)
from papiermappe.store.queue import JobKind, enqueue, read_soon

PLACE_FIELDS = frozenset({"mappe_id", "rank", "side", "set_aside"})
ORDER_FIELDS = PLACE_FIELDS | {"begins"}
PAGE_FIELDS = ORDER_FIELDS | {"capture_id"}
"""Those that are not of the treatment."""

MappeFields = Mapping[int, Fields]
"""By the Mappe's id, what an entry sets of the Mappe itself: its `subject`, whether it is `there`."""


@transaction
def apply_operation(caller: Caller, session: Session, mappe_id: int, operation: Operation, seen: int) -> int | None:
    """Carry out an operation on pages of a Mappe.

    Args:
        caller: who asked for it.
        session: of the transaction.
        mappe_id: in which the pages are.
        operation: what is done.
        seen: the newest change that the author knew.

    Returns:
        The number of the new journal entry; None where nothing would change.

    Raises:
        NotFound: the Mappe is not there.
        ChangedMeanwhile: since `seen` somebody else has set a field that this sets.
    """
    wanted = {mappe_id, operation.mappe} if isinstance(operation, MoveToMappe) else {mappe_id}
    mappen = {number: locked_mappe(caller, session, number) for number in sorted(wanted)}
    return record(caller, session, mappen, operation, seen)


def record(
    caller: Caller,
    session: Session,
    mappen: Mapping[int, Mappe],
    operation: Journaled,
    seen: int,
    mappe_fields: MappeFields | None = None,
) -> int | None:
    """Carry out an operation on pages of Mappen that are locked.

    Args:
        caller: who asked for it.
        session: of the transaction.
        mappen: all that it touches, by their ids.
        operation: what is done.
        seen: the newest change that the author knew.
        mappe_fields: what is set of Mappen themselves.

    Returns:
        The number of the new journal entry; None where nothing would change.

    Raises:
        ChangedMeanwhile: since `seen` somebody else has set a field that this sets.
    """
    query = select(Page).where(Page.mappe_id.in_(list(mappen)) | Page.id.in_(operation.pages))
    if not operation.by_files:
        query = query.options(lazyload(Page.capture))
    if not operation.whole_mappe:
        query = query.where(Page.id.in_(operation.pages))
    found = [page for page in session.scalars(query) if page.mappe_id is None or page.mappe_id in mappen]
    pages = sorted(found, key=lambda page: (page.rank, page.side is Side.BACK))
    if operation.by_numbers:
        states = page_states(pages)
    else:
        states = [page_state(page, with_file=operation.by_files) for page in pages]
    changes = operation.apply(states)
    if not changes:
        return None
    _refuse_conflict(session, caller, changes, seen)
    return _write(
        session,
        EntryKind.DO,
        changes,
        {page.id: page for page in pages},
        mappen,
        author=caller.author,
        operation=operation.model_dump(mode="json"),
        mappe_fields=mappe_fields,
    )


def machine_entry(
    session: Session, mappe: Mappe, changes: Mapping[int, Fields] | None = None, message: Message | None = None
) -> int:
    """Record something that happened; it cannot be undone and conflicts with nobody.

    Args:
        session: of the transaction.
        mappe: locked.
        changes: the fields that are set, by page.
        message: what is told of it; None: it is not shown in the history.
    """
    found = session.scalars(select(Page).where(Page.id.in_(list(changes or {})))).all()
    return _write(
        session,
        EntryKind.MACHINE,
        changes or {},
        {page.id: page for page in found},
        {mappe.id: mappe},
        message=message.model_dump(mode="json") if message else None,
    )


def arrange_for(session: Session, mappe: Mappe, operation: Operation, author: str) -> int | None:
    """Carry out an operation as somebody wished it beforehand; that person can undo it.

    Args:
        session: of the transaction.
        mappe: locked; the operation is on pages of it alone.
        operation: what is done.
        author: who wished it.

    Returns:
        The new entry; None where nothing would change.
    """
    pages = pages_of(session, mappe.id)
    changes = operation.apply([page_state(page) for page in pages])
    if not changes:
        return None
    by_id, said = {page.id: page for page in pages}, operation.model_dump(mode="json")
    return _write(session, EntryKind.DO, changes, by_id, {mappe.id: mappe}, author=author, operation=said)


def take_again(session: Session, mappe: Mappe, page: Page, capture: Capture, author: str) -> int:
    """Give a page another capture, as a person asked for; return the entry, which that person can undo.

    Args:
        session: of the transaction.
        mappe: of the page, locked.
        page: the page.
        capture: the new one.
        author: who asked for it.
    """
    operation = TakeAgain(pages=(page.id,), capture_id=capture.id)
    changes = operation.apply([page_state(page)])
    said = operation.model_dump(mode="json")
    return _write(session, EntryKind.DO, changes, {page.id: page}, {mappe.id: mappe}, author=author, operation=said)


@transaction
def undo(caller: Caller, session: Session, mappe_id: int, seq: int) -> int:
    """Take an entry back. Raises NotFound, NotPossible, ChangedMeanwhile."""
    return _reverse(caller, session, mappe_id, seq, EntryKind.UNDO)


@transaction
def redo(caller: Caller, session: Session, mappe_id: int, seq: int) -> int:
    """Do an entry again that was undone. Raises NotFound, NotPossible, ChangedMeanwhile."""
    return _reverse(caller, session, mappe_id, seq, EntryKind.REDO)


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
    visible_mappe(caller, session, mappe_id)
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
        now = page_state(pages[row.page_id]).fields()
        differing = {name for name, value in expected.items() if now[name] != value}
        if differing and (later := _set_later(session, row.page_id, differing, seq)):
            raise ChangedMeanwhile("changed_since", entry=later)
    mappe_fields = {of.mappe_id: dict((of.before if undoing else of.after) or {}) for of in touched}
    for mappe_row in touched:
        _drop_renamed(mappen[mappe_row.mappe_id], mappe_row, undoing, mappe_fields.get(mappe_row.mappe_id, {}))
    _refuse_cleared(caller, mappen, changes, mappe_fields)
    return _write(
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

    None where only the machine did, or the newest is the undoing of that entry itself.
    """
    later = (
        select(JournalChange.seq, JournalChange.after, JournalEntry.of_seq)
        .join(JournalEntry, JournalEntry.seq == JournalChange.seq)
        .where(JournalChange.page_id == page_id, JournalChange.seq > seq, JournalEntry.kind != EntryKind.MACHINE)
        .order_by(JournalChange.seq.desc())
    )
    for row in session.execute(later):
        if row.after.keys() & set(names):
            return None if row.of_seq == seq else told_of(session, [row.seq])[row.seq].model_dump(mode="json")
    return None


def _refuse_conflict(session: Session, caller: Caller, changes: Changes, seen: int) -> None:
    by_others = (
        select(JournalChange.page_id, JournalChange.after)
        .join(JournalEntry, JournalEntry.seq == JournalChange.seq)
        .where(
            JournalChange.page_id.in_(list(changes)),
            JournalChange.seq > seen,
            JournalEntry.kind != EntryKind.MACHINE,
            JournalEntry.author != caller.author,
        )
    )
    for page_id, after in session.execute(by_others):
        if changes[page_id].keys() & after.keys():
            raise ChangedMeanwhile("changed_meanwhile")


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


def _write(
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
    live = exists().where(Run.mappe_id == mappe.id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    return bool(session.scalar(select(exists().where(Page.mappe_id == mappe.id) | live)))


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
