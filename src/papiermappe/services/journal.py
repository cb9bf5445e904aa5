"""The journal: everything that was done to pages or happened to them, with what it touched before and after.

People conflict only where both have set the same field of the same page; the machine conflicts with nobody.
"""

from collections.abc import Mapping

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session, defer, lazyload

from papiermappe.core.operations import Journaled, MoveToMappe, Operation, TakeAgain
from papiermappe.core.operations.model import Changes, Fields
from papiermappe.core.order.places import Side
from papiermappe.message import Message
from papiermappe.services.caller import Caller, locked_mappe, visible_mappe
from papiermappe.services.entries import MappeFields, write_entry
from papiermappe.services.errors import ChangedMeanwhile
from papiermappe.services.pages import page_state, page_states, pages_of
from papiermappe.services.places import LYING_FIELDS, PagePlace, as_places, places
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, EntryKind, JournalChange, JournalEntry, Mappe, Page


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
        OperationRefused: it cannot be done to these pages.
        ChangedMeanwhile: since `seen` somebody else has set a field that this sets.
    """
    return carry_out(caller, session, mappe_id, operation, seen)


def carry_out(caller: Caller, session: Session, mappe_id: int, operation: Operation, seen: int) -> int | None:
    """Do as `apply_operation` does, within a transaction."""
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
    nowhere = Page.id.in_(operation.new_pages) & Page.mappe_id.is_(None)
    query = select(Page).where(Page.mappe_id.in_(list(mappen)) | nowhere)
    if not operation.by_captures:
        query = query.options(lazyload(Page.capture))
    if operation.places_only:  # what is done to pages and has been found on them is most of their rows
        query = query.options(defer(Page.treatment), defer(Page.analysis), defer(Page.printed))
    if not operation.whole_mappe:
        query = query.where(Page.id.in_(operation.pages))
    pages = sorted(session.scalars(query), key=lambda page: (page.rank, page.side is Side.BACK))
    if operation.by_numbers:
        states = page_states(pages)
    else:
        known = {"with_capture": operation.by_captures, "with_treatment": not operation.places_only}
        states = [page_state(page, **known) for page in pages]
    changes = operation.apply(states)
    if not changes:
        return None
    refuse_conflict(session, caller, changes, seen)
    return write_entry(
        session,
        EntryKind.DO,
        changes,
        {page.id: page for page in pages},
        mappen,
        author=caller.author,
        operation=operation.model_dump(mode="json"),
        mappe_fields=mappe_fields,
    )


def places_set(caller: Caller, store: Store, mappe_id: int, seq: int) -> list[PagePlace]:
    """Return where the pages of a Mappe lie that an entry has moved. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)
        return places_of_entry(session, mappe_id, seq)


def places_of_entry(session: Session, mappe_id: int, seq: int) -> list[PagePlace]:
    """Return where the pages of a Mappe lie that an entry has moved."""
    moved = func.jsonb_exists_any(JournalChange.after, array(sorted(LYING_FIELDS)))
    of_entry = places().join(JournalChange, JournalChange.page_id == Page.id).where(JournalChange.seq == seq, moved)
    return as_places(session.execute(of_entry.where(Page.mappe_id == mappe_id)))


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
    return write_entry(
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
    return write_entry(session, EntryKind.DO, changes, by_id, {mappe.id: mappe}, author=author, operation=said)


def would_change(session: Session, mappe: Mappe, operation: Operation) -> bool:
    """Return whether an operation on pages of a Mappe alone would change any of them."""
    return bool(operation.apply([page_state(page) for page in pages_of(session, mappe.id)]))


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
    return write_entry(
        session, EntryKind.DO, changes, {page.id: page}, {mappe.id: mappe}, author=author, operation=said
    )


def refuse_conflict(session: Session, caller: Caller, changes: Changes, seen: int) -> None:
    """Raise ChangedMeanwhile where somebody else has set a field since `seen` that these changes set."""
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
