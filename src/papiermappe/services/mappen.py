"""Mappen: opening, naming, listing, clearing away and taking back."""

from datetime import UTC, datetime, timedelta
from enum import StrEnum
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import ColumnElement, Select, and_, exists, func, select
from sqlalchemy.orm import Session

from papiermappe.core.naming.names import MAX_SUBJECT, one_line
from papiermappe.services.caller import Caller, locked_mappe, visible_mappe
from papiermappe.services.changes import next_change
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.live_runs import is_receiving
from papiermappe.services.page_views import PageView, page_row
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store, notify
from papiermappe.store.models import Filing, FilingState, Mappe, Page, Run, RunState

KEPT_DAYS = 30
PAGE_SIZE = 24


class MappeState(StrEnum):
    """How far along a Mappe is."""

    EMPTY = "empty"
    OPEN = "open"
    RECEIVING = "receiving"
    FILED = "filed"


class MappeOrder(StrEnum):
    """The order in which Mappen are listed."""

    NEWEST = "newest"
    SUBJECT = "subject"


class MappeCard(NamedTuple):
    """A Mappe on the start page."""

    id: int
    subject: str
    opened_at: datetime
    page_count: int
    first_page: PageView | None
    state: MappeState


class ClearedMappe(NamedTuple):
    """A Mappe that was cleared away and can still be taken back."""

    id: int
    subject: str
    page_count: int
    kept_until: datetime


class Listed(NamedTuple):
    """One page of a list."""

    cards: list[MappeCard]
    total: int
    pages: int
    """How many parts there are."""


@transaction
def open_mappe(_: Caller, session: Session, subject: str = "") -> int:
    """Open a new Mappe; return its number. Raises NotPossible."""
    return open_within(session, clean_subject(subject))


def must_be_visible(caller: Caller, store: Store, mappe_id: int) -> None:
    """Check that somebody may see a Mappe. Raises NotFound."""
    with store.begin() as session:
        visible_mappe(caller, session, mappe_id)


def open_within(session: Session, subject: str) -> int:
    """Open a new Mappe within a transaction; return its number. A subject that is too long is cut."""
    mappe = Mappe(subject=one_line(subject)[:MAX_SUBJECT])
    session.add(mappe)
    session.flush()
    mappe.subject_change = next_change(session, mappe)
    return mappe.id


@transaction
def rename(caller: Caller, session: Session, mappe_id: int, subject: str) -> None:
    """Give a Mappe another subject. Raises NotFound, NotPossible."""
    mappe = locked_mappe(caller, session, mappe_id)
    mappe.subject = clean_subject(subject)
    mappe.subject_change = next_change(session, mappe)


def clean_subject(subject: str) -> str:
    """Return a subject on one line. Raises NotPossible."""
    cleaned = one_line(subject)
    if len(cleaned) > MAX_SUBJECT:
        raise NotPossible("subject_too_long", limit=MAX_SUBJECT)
    return cleaned


@transaction
def clear(caller: Caller, session: Session, mappe_id: int) -> None:
    """Clear a Mappe away. What was filed stays; the Mappe can be taken back for 30 days.

    Raises:
        NotFound: it is not there.
        NotPossible: pages are being scanned, or a document is being made.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    refuse_in_use(session, mappe_id)
    mappe.cleared_at = datetime.now(UTC)
    notify(session, mappe_id)


def refuse_in_use(session: Session, mappe_id: int) -> None:
    """Check that a Mappe can be cleared away. Raises NotPossible where pages come in, or a document is being made."""
    making = exists().where(Filing.mappe_id == mappe_id, Filing.state.in_([FilingState.QUEUED, FilingState.MAKING]))
    if is_receiving(session, mappe_id):
        raise NotPossible("clear_while_receiving")
    if session.scalar(select(making)):
        raise NotPossible("clear_while_making")


@transaction
def take_back(_: Caller, session: Session, mappe_id: int) -> None:
    """Take back a Mappe that was cleared away. Raises NotFound."""
    mappe = session.get(Mappe, mappe_id, with_for_update=True)
    if mappe is None or (mappe.cleared_at and mappe.cleared_at < datetime.now(UTC) - timedelta(days=KEPT_DAYS)):
        raise NotFound("mappe_removed")
    mappe.cleared_at = None
    next_change(session, mappe)


def list_cleared(_: Caller, store: Store, now: datetime) -> list[ClearedMappe]:
    """Return the Mappen that can be taken back, those cleared last first."""
    counted = select(func.count()).where(Page.mappe_id == Mappe.id).scalar_subquery()
    cleared = select(Mappe.id, Mappe.subject, Mappe.cleared_at, counted.label("pages"))
    with store.begin() as session:
        kept = Mappe.cleared_at > now - timedelta(days=KEPT_DAYS)
        rows = session.execute(cleared.where(kept).order_by(Mappe.cleared_at.desc())).all()
    return [ClearedMappe(row.id, row.subject, row.pages, row.cleared_at + timedelta(days=KEPT_DAYS)) for row in rows]


def list_open(_: Caller, store: Store, find: str = "", order: MappeOrder = MappeOrder.NEWEST, page: int = 1) -> Listed:
    """Return a part of the Mappen that have not been filed yet.

    Args:
        store: of the Mappen.
        find: words that the subject holds.
        order: of the list.
        page: which part, from 1; beyond the last one the last.
    """
    filed = exists().where(Filing.mappe_id == Mappe.id, Filing.state == FilingState.MADE)
    wanted: list[ColumnElement[bool]] = [Mappe.cleared_at.is_(None), ~filed]
    wanted += [Mappe.subject.icontains(word, autoescape=True) for word in find.split()]
    with store.begin() as session:
        total = session.scalar(select(func.count()).select_from(Mappe).where(and_(*wanted))) or 0
        parts = max(1, -(-total // PAGE_SIZE))
        by = (func.lower(Mappe.subject), Mappe.id) if order is MappeOrder.SUBJECT else (Mappe.id.desc(),)
        start = (min(page, parts) - 1) * PAGE_SIZE
        rows = session.execute(_cards().where(and_(*wanted)).order_by(*by).offset(start).limit(PAGE_SIZE)).all()
        firsts = session.scalars(select(Page).where(Page.id.in_([row.first for row in rows if row.first]))).all()
        views = {first.id: page_row(first).view for first in firsts}
        cards = [
            MappeCard(
                row.id,
                row.subject,
                row.opened_at,
                row.page_count,
                views.get(row.first),
                MappeState.RECEIVING if row.live else MappeState.OPEN if row.page_count else MappeState.EMPTY,
            )
            for row in rows
        ]
    return Listed(cards, total, parts)


class MappeName(BaseModel):
    """A Mappe that pages can go to."""

    id: int
    subject: str
    page_count: int


def list_targets(_: Caller, store: Store, find: str = "", but: int | None = None) -> list[MappeName]:
    """Return open Mappen whose subject holds all words of `find`, the newest first, as many as one list shows.

    Args:
        store: of the Mappen.
        find: words.
        but: a Mappe that is left out.
    """
    wanted = [Mappe.cleared_at.is_(None), *(Mappe.subject.icontains(word, autoescape=True) for word in find.split())]
    if but is not None:
        wanted.append(Mappe.id != but)
    pages = select(func.count()).where(Page.mappe_id == Mappe.id, ~Page.set_aside).scalar_subquery()
    listed = select(Mappe.id, Mappe.subject, pages.label("page_count")).where(*wanted).order_by(Mappe.id.desc())
    with store.begin() as session:
        rows = session.execute(listed.limit(PAGE_SIZE)).all()
    return [MappeName(id=row.id, subject=row.subject, page_count=row.page_count) for row in rows]


def _cards() -> Select[tuple[int, str, datetime, int, int | None, bool]]:
    """Select Mappen with how many pages lie in them, the first of them, and whether pages are being scanned."""
    lying = Page.mappe_id == Mappe.id, ~Page.set_aside
    # "back" sorts before "front": descending gives the front first
    first = select(Page.id).where(*lying).order_by(Page.rank, Page.side.desc()).limit(1).scalar_subquery()
    live = exists().where(Run.mappe_id == Mappe.id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    return select(
        Mappe.id,
        Mappe.subject,
        Mappe.opened_at,
        select(func.count()).where(*lying).scalar_subquery().label("page_count"),
        first.label("first"),
        live.label("live"),
    )
