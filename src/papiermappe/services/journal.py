"""The journal: every change of a Mappe with what it touched before and after, and the way back.

A change names the fields of each page that it sets, and nothing else, so that undoing a turn leaves alone what the
machine has found on the page since.
"""

from collections.abc import Collection, Iterable, Mapping
from decimal import Decimal
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.order.history import EntryKind, EntryRef, WayBack, way_back
from papiermappe.core.order.places import Place, Side
from papiermappe.core.treatment import Treatment
from papiermappe.services.errors import ChangedMeanwhile, NotFound, NotPossible
from papiermappe.store.database import Store, tell
from papiermappe.store.models import JournalEntry, Mappe, Page
from papiermappe.store.queue import read_soon

Fields = dict[str, Any]
"""Fields of one page as JSON: rank, side, put_away, and those of the treatment."""

PLACE_FIELDS = frozenset({"rank", "side", "put_away"})


def locked_mappe(session: Session, mappe_id: int) -> Mappe:
    """Return a Mappe, kept for this transaction. Raises NotFound."""
    mappe = session.get(Mappe, mappe_id, with_for_update=True)
    if mappe is None:
        raise NotFound("This Mappe is not there. It may have been cleared.")
    return mappe


def pages_of(session: Session, mappe_id: int) -> list[Page]:
    """Return all pages of a Mappe, put away or not, in reading order."""
    pages = session.scalars(select(Page).where(Page.mappe_id == mappe_id)).all()
    return sorted(pages, key=lambda page: (page.rank, page.side is Side.BACK))


def place_of(page: Page) -> Place:
    """Return where a page lies."""
    return Place(page.id, page.rank, page.side, page.put_away)


def treatment_of(page: Page) -> Treatment:
    """Return a page's treatment."""
    return Treatment.model_validate(page.treatment)


def edit(
    session: Session,
    mappe: Mappe,
    text: str,
    changes: Mapping[int, Fields],
    seen: int,
    kind: EntryKind = EntryKind.DO,
) -> int:
    """Change pages and write it down.

    Args:
        session: of the transaction.
        mappe: locked.
        text: what was done, for the history.
        changes: by page.
        seen: the newest entry that whoever asks for the change knew.
        kind: what the entry is to the way back.

    Returns:
        The number of the new entry.

    Raises:
        ChangedMeanwhile: a page has been changed since `seen`.
        NotFound: a page is not in the Mappe.
    """
    pages = _pages(session, mappe, changes)
    if any(page.revision > seen for page in pages.values()):
        raise ChangedMeanwhile(
            "Someone else has just changed this page. Nothing was changed now; look at it and do it again."
        )
    before = {page_id: _read(page, changes[page_id]) for page_id, page in pages.items()}
    return _write(session, mappe, kind, text, pages, before, dict(changes))


def note(session: Session, mappe: Mappe, text: str, changes: Mapping[int, Fields] | None = None) -> int:
    """Write down something that happened; it is not undone. Fields are set for the pages named.

    What has no text is not shown in the history.
    """
    return edit(session, mappe, text, changes or {}, mappe.seq + 1, EntryKind.NOTE)


def undo(store: Store, mappe_id: int) -> int:
    """Take back the newest change that can be. Raises NotPossible, ChangedMeanwhile."""
    return _step(store, mappe_id, EntryKind.UNDO)


def redo(store: Store, mappe_id: int) -> int:
    """Do again what was undone last. Raises NotPossible, ChangedMeanwhile."""
    return _step(store, mappe_id, EntryKind.REDO)


def way_back_of(session: Session, mappe_id: int) -> WayBack:
    """Return what can be undone and redone."""
    rows = session.execute(
        select(JournalEntry.seq, JournalEntry.kind, JournalEntry.of_seq)
        .where(JournalEntry.mappe_id == mappe_id, JournalEntry.kind != EntryKind.NOTE)
        .order_by(JournalEntry.seq)
    )
    return way_back(EntryRef(*row) for row in rows)


def _step(store: Store, mappe_id: int, kind: EntryKind) -> int:
    undoing = kind is EntryKind.UNDO
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        back = way_back_of(session, mappe_id)
        steps = back.undoable if undoing else back.redoable
        if not steps:
            raise NotPossible("There is nothing to undo." if undoing else "There is nothing to redo.")
        entry = session.get_one(JournalEntry, (mappe_id, steps[-1]))
        now, then = (entry.after, entry.before) if undoing else (entry.before, entry.after)
        changes: dict[int, Fields] = {int(page_id): fields for page_id, fields in then.items()}
        pages = _pages(session, mappe, changes)
        before = {page_id: _read(page, changes[page_id]) for page_id, page in pages.items()}
        if any(before[int(page_id)] != fields for page_id, fields in now.items()):
            raise ChangedMeanwhile("The page has changed since in another way, so this cannot be taken back.")
        text = f"{'Undone' if undoing else 'Redone'}: {entry.text}"
        return _write(session, mappe, kind, text, pages, before, changes, entry.seq)


def _pages(session: Session, mappe: Mappe, ids: Collection[int] | Mapping[int, Fields]) -> dict[int, Page]:
    if not ids:
        return {}
    found = session.scalars(select(Page).where(Page.mappe_id == mappe.id, Page.id.in_(list(ids)))).all()
    if len(found) != len(ids):
        raise NotFound("A page is not in this Mappe any more.")
    return {page.id: page for page in found}


def _write(
    session: Session,
    mappe: Mappe,
    kind: EntryKind,
    text: str,
    pages: Mapping[int, Page],
    before: Mapping[int, Fields],
    after: Mapping[int, Fields],
    of_seq: int | None = None,
) -> int:
    mappe.seq += 1
    for page_id, page in pages.items():
        _set(page, after[page_id])
        page.revision = mappe.seq
    session.add(
        JournalEntry(
            mappe_id=mappe.id,
            seq=mappe.seq,
            kind=kind,
            of_seq=of_seq,
            text=text,
            before=_keyed(before),
            after=_keyed(after),
        )
    )
    if any(not fields or not PLACE_FIELDS.issuperset(fields) for fields in after.values()):
        read_soon(session, mappe.id)
    tell(session, mappe.id)
    return mappe.seq


def _keyed(changes: Mapping[int, Fields]) -> dict[str, Any]:
    return {str(page_id): fields for page_id, fields in changes.items()}


def _read(page: Page, names: Iterable[str]) -> Fields:
    places = {"rank": str(page.rank), "side": page.side.value, "put_away": page.put_away}
    return {name: places[name] if name in PLACE_FIELDS else page.treatment.get(name) for name in names}


def _set(page: Page, fields: Fields) -> None:
    if "rank" in fields:
        page.rank = Decimal(fields["rank"])
    if "side" in fields:
        page.side = Side(fields["side"])
    if "put_away" in fields:
        page.put_away = fields["put_away"]
    treated = {name: value for name, value in fields.items() if name not in PLACE_FIELDS}
    if treated:
        page.treatment = Treatment.model_validate({**page.treatment, **treated}).model_dump(mode="json")
