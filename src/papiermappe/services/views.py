"""What windows show of a Mappe: all of it at first, then what has changed."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from papiermappe.services.caller import Caller, may_see
from papiermappe.services.errors import NotFound
from papiermappe.services.filing_views import FilingView, filing_view
from papiermappe.services.history import HistoryLine, history, told_of
from papiermappe.services.naming import next_name
from papiermappe.services.page_views import PageRow, PageView, page_row
from papiermappe.services.places import PagePlace, as_places, places
from papiermappe.services.run_views import RunView, run_views
from papiermappe.services.undoing import undo_stack
from papiermappe.store.database import Store
from papiermappe.store.models import Filing, JournalChange, JournalMappe, Mappe, Page


class UndoView(BaseModel):
    """What undo and redo of one person would do."""

    undo: HistoryLine | None
    redo: HistoryLine | None


class MappeView(BaseModel):
    """What has changed of a Mappe since what a window knew; all of it for one that knows nothing."""

    mappe: int
    cursor: int
    """The newest change that is in it."""
    subject: str | None
    """None: as before."""
    file_name: str
    """The name that it would get now, as a PDF."""
    pages: list[PageView]
    moved: list[PagePlace]
    """Pages that lie elsewhere in it, and are otherwise as before."""
    gone: list[int]
    """Pages that are in the Mappe no more."""
    runs: list[RunView]
    filings: list[FilingView]
    history: list[HistoryLine]
    """The newest first."""
    undo: Mapping[str, UndoView]
    """By author, for those whose undo has changed."""


class _Head(NamedTuple):
    """A Mappe, and what kinds of things of it have changed, so that only these are asked for."""

    id: int
    subject: str
    cleared_at: datetime | None
    change: int
    subject_changed: bool
    runs: bool
    filings: bool
    told: bool
    """Whether something is told in the history."""
    gone: bool
    """Whether pages may have left."""
    authors: Sequence[str]
    """Who has done something."""


def mappe_view(caller: Caller, store: Store, mappe_id: int) -> MappeView:
    """Return a whole Mappe but for its pages, which are remembered elsewhere. Raises NotFound."""
    with store.begin() as session:
        return _view(session, _head(caller, session, mappe_id, 0), 0, [], {caller.author})


def mappe_changes(
    caller: Caller, store: Store, mappe_id: int, since: int, author: str | None = None
) -> tuple[MappeView, list[PageRow]]:
    """Return what has changed of a Mappe after change `since`, and the changed pages.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        since: the change up to which the caller is up to date.
        author: whose undo stack is included in any case.

    Raises:
        NotFound: it is not there.
    """
    with store.begin() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        head = _head(caller, session, mappe_id, since)
        changed = Page.mappe_id == mappe_id, Page.revision > since
        rows = [page_row(page) for page in session.scalars(select(Page).where(*changed, Page.content_revision > since))]
        moved = as_places(session.execute(places().where(*changed, Page.content_revision <= since)))
        authors = {*head.authors, *([author] if author else [])}
        view = _view(session, head, since, [row.view for row in rows], authors)
        return view.model_copy(update={"moved": moved}), rows


def _view(session: Session, head: _Head, since: int, pages: Sequence[PageView], authors: Collection[str]) -> MappeView:
    return MappeView(
        mappe=head.id,
        cursor=head.change,
        subject=head.subject if head.subject_changed or not since else None,
        file_name=next_name(session, session.get_one(Mappe, head.id)),
        pages=list(pages),
        moved=[],
        gone=_gone(session, head.id, since) if head.gone and since else [],
        runs=run_views(session, head.id, since) if head.runs else [],
        filings=_filings(session, head.id, since) if head.filings else [],
        history=history(session, head.id, since) if head.told else [],
        undo={author: _undo(session, head.id, author) for author in authors},
    )


def _gone(session: Session, mappe_id: int, since: int) -> list[int]:
    """Return the pages that have left a Mappe after change `since`."""
    left = (
        select(JournalChange.page_id)
        .join(JournalMappe, JournalMappe.seq == JournalChange.seq)
        .join(Page, Page.id == JournalChange.page_id)
        .where(
            JournalMappe.mappe_id == mappe_id,
            JournalMappe.seq > since,
            JournalChange.before.has_key("mappe_id"),
            Page.mappe_id.is_distinct_from(mappe_id),
        )
    )
    return sorted(set(session.scalars(left)))


# As text, since it runs at each event: building the statement would take longer than running it.
_HEAD = text("""
    select
        mappe.id, subject, cleared_at, change, subject_change > :since,
        exists (select from run where mappe_id = :mappe_id and change > :since),
        exists (select from filing where mappe_id = :mappe_id and change > :since),
        entry.told, entry.by_person, entry.authors
    from mappe cross join lateral (
        select
            coalesce(bool_or(kind <> 'machine' or message is not null), false) as told,
            coalesce(bool_or(kind <> 'machine'), false) as by_person,
            coalesce(array_agg(distinct author) filter (where kind <> 'machine'), '{}') as authors
        from journal_entry join journal_mappe using (seq)
        where mappe_id = :mappe_id and seq > :since
    ) as entry
    where mappe.id = :mappe_id
""")


def _head(caller: Caller, session: Session, mappe_id: int, since: int) -> _Head:
    row = session.execute(_HEAD, {"mappe_id": mappe_id, "since": since}).first()
    head = _Head(*row) if row else None
    if head is None or not may_see(caller, head):
        raise NotFound("mappe_gone")
    return head


def _undo(session: Session, mappe_id: int, author: str) -> UndoView:
    stack = undo_stack(session, mappe_id, author)
    wanted = [seq for seq in stack if seq is not None]
    told = told_of(session, wanted) if wanted else {}
    at = datetime.now().astimezone()

    def line(seq: int | None) -> HistoryLine | None:
        return None if seq is None else HistoryLine(seq=seq, at=at, message=told[seq])

    return UndoView(undo=line(stack.undo), redo=line(stack.redo))


def _filings(session: Session, mappe_id: int, since: int) -> list[FilingView]:
    changed = select(Filing).where(Filing.mappe_id == mappe_id, Filing.change > since).order_by(Filing.id.desc())
    return [filing_view(filing) for filing in session.scalars(changed)]
