"""The documents that were delivered, as a list: by name, sender, day and place."""

from datetime import date, datetime, time, timedelta
from typing import NamedTuple, TypeVarTuple

from sqlalchemy import ColumnElement, Select, and_, exists, or_, select, true
from sqlalchemy.orm import aliased

from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound
from papiermappe.store.database import Store, plan_anew
from papiermappe.store.models import Delivery, DeliveryState, Destination, Document, Filing

MAX_LISTED = 200

Row = TypeVarTuple("Row")


class Wanted(NamedTuple):
    """Which documents are looked for; what is empty or None says nothing."""

    find: str = ""
    """Words of the name, or of the text where that is searched."""
    since: date | None = None
    until: date | None = None
    """The days between which it was filed, or that it tells itself; both included."""
    destination_id: int | None = None
    sender: str = ""
    """A part of who has sent it."""

    @property
    def is_narrow(self) -> bool:
        """Whether more than words says what is looked for."""
        return bool(self.since or self.until or self.destination_id or self.sender.strip())


EVERYTHING = Wanted()


class FiledRow(NamedTuple):
    """A delivered document."""

    document_id: int
    mappe_id: int
    file_name: str
    destination: str
    sender: str
    dated: date | None
    page_count: int
    byte_size: int
    delivered_at: datetime
    has_thumbnail: bool
    is_replaced: bool
    """Whether there is a later version of it."""


def list_filed(_: Caller, store: Store, wanted: Wanted = EVERYTHING, limit: int = MAX_LISTED) -> list[FiledRow]:
    """Return delivered documents, the newest first."""
    later = aliased(Document)
    query = (
        select(
            Document.id.label("document_id"),
            Filing.mappe_id,
            Delivery.file_name,
            Destination.name.label("destination"),
            Document.sender,
            Document.dated,
            Document.page_count,
            Document.byte_size,
            Delivery.delivered_at,
            Document.thumbnail.is_not(None).label("has_thumbnail"),
            exists(select(later.id).where(later.replaces_id == Document.id)).label("is_replaced"),
        )
        .join(Document, Document.id == Delivery.document_id)
        .join(Filing, Filing.id == Document.filing_id)
        .join(Destination, Destination.id == Delivery.destination_id)
        .where(Delivery.state == DeliveryState.DELIVERED)
        .order_by(Delivery.delivered_at.desc())
        .limit(limit)
    )
    for word in wanted.find.split():
        query = query.where(Delivery.file_name.icontains(word, autoescape=True))
    with store.begin() as session:
        plan_anew(session)
        return [FiledRow(**row) for row in session.execute(narrowed(query, wanted)).mappings()]


def narrowed(query: Select[*Row], wanted: Wanted) -> Select[*Row]:
    """Return a query of deliveries and their documents for those that are looked for, whatever their words."""
    if wanted.since or wanted.until:
        query = query.where(or_(_filed_between(wanted.since, wanted.until), _dated_between(wanted.since, wanted.until)))
    if wanted.destination_id:
        query = query.where(Delivery.destination_id == wanted.destination_id)
    for word in wanted.sender.split():
        query = query.where(Document.sender.icontains(word, autoescape=True))
    return query


def _filed_between(since: date | None, until: date | None) -> ColumnElement[bool]:
    at = Delivery.delivered_at
    after = at >= _midnight(since) if since else true()
    return and_(after, at < _midnight(until + timedelta(days=1)) if until else true())


def _midnight(day: date) -> datetime:
    return datetime.combine(day, time.min).astimezone()


def _dated_between(since: date | None, until: date | None) -> ColumnElement[bool]:
    return Document.dated.between(since or date.min, until or date.max)


def thumbnail(_: Caller, store: Store, document_id: int) -> bytes:
    """Return a small picture of the first page of a document, JPEG. Raises NotFound."""
    with store.begin() as session:
        kept = session.scalar(select(Document.thumbnail).where(Document.id == document_id))
    if kept is None:
        raise NotFound("document_gone")
    return kept
