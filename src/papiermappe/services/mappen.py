"""Mappen: opening, naming, listing."""

from datetime import datetime
from typing import NamedTuple

from sqlalchemy import select

from papiermappe.core.order.places import reading_order
from papiermappe.services.desk import PageView, page_view
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import locked_mappe, pages_of, place_of
from papiermappe.store.database import Store, tell
from papiermappe.store.models import Filing, FilingState, Mappe, Pass, PassState

MOST_SUBJECT = 120


class MappeCard(NamedTuple):
    """A Mappe on the start page."""

    id: int
    subject: str
    opened_at: datetime
    page_count: int
    first_page: PageView | None
    state: str


def open_mappe(store: Store, subject: str = "") -> int:
    """Open a new Mappe; return its number."""
    with store.begin() as session:
        mappe = Mappe(subject=_clean_subject(subject))
        session.add(mappe)
        session.flush()
        return mappe.id


def rename(store: Store, mappe_id: int, subject: str) -> None:
    """Give a Mappe another subject."""
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        mappe.subject = _clean_subject(subject)
        tell(session, mappe_id)


def _clean_subject(subject: str) -> str:
    cleaned = " ".join("".join(c if c.isprintable() else " " for c in subject).split())
    if len(cleaned) > MOST_SUBJECT:
        raise NotPossible(
            f"The subject is longer than {MOST_SUBJECT} characters. The old one stays; shorten it and try again."
        )
    return cleaned


def list_open(store: Store) -> list[MappeCard]:
    """Return the Mappen that have not been filed yet, the newest first."""
    with store.begin() as session:
        filed = select(Filing.mappe_id).where(Filing.state == FilingState.DONE)
        mappen = session.scalars(select(Mappe).where(Mappe.id.not_in(filed)).order_by(Mappe.id.desc())).all()
        live = set(session.scalars(select(Pass.mappe_id).where(Pass.state.in_([PassState.TAKING, PassState.WAITING]))))
        cards = []
        for mappe in mappen:
            pages = {page.id: page for page in pages_of(session, mappe.id) if not page.put_away}
            order = reading_order(place_of(page) for page in pages.values())
            first = page_view(pages[order[0].page_id]) if order else None
            state = "taking pages in" if mappe.id in live else ("empty" if not pages else "open")
            cards.append(MappeCard(mappe.id, mappe.subject, mappe.opened_at, len(pages), first, state))
        return cards
