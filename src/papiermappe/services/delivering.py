"""Delivering documents to their destinations, and finding them again."""

from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryFile
from typing import NamedTuple

import structlog
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.core.encode.format import Format
from papiermappe.destinations.errors import DestinationError, NameTaken
from papiermappe.destinations.folder import Folder
from papiermappe.destinations.model import Destination as DestinationPlace
from papiermappe.destinations.model import Parcel
from papiermappe.message import Message
from papiermappe.services.caller import MACHINE, Caller
from papiermappe.services.changes import filing_changed
from papiermappe.services.errors import NotFound
from papiermappe.services.filing import locked_filing, take_next_name
from papiermappe.services.journal import machine_entry
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing
from papiermappe.store.models import Delivery, DeliveryState, Destination, DestinationKind, Document, Filing, Mappe

log = structlog.get_logger()

MAX_LISTED = 200


class FiledRow(NamedTuple):
    """A filed document on the start page."""

    filing_id: int
    mappe_id: int
    file_name: str
    destination: str
    page_count: int
    byte_size: int
    delivered_at: datetime


def list_destinations(_: Caller, store: Store) -> list[tuple[int, str]]:
    """Return number and name of all destinations."""
    with store.begin() as session:
        rows = session.execute(select(Destination.id, Destination.name).order_by(Destination.id))
        return [(row.id, row.name) for row in rows]


@transaction
def add_folder(_: Caller, session: Session, name: str, folder: Path) -> int:
    """Add a folder that documents go to, or return the destination of that name."""
    added = insert(Destination).values(name=name, kind=DestinationKind.FOLDER, settings={"path": str(folder)})
    session.execute(added.on_conflict_do_nothing())
    return session.scalars(select(Destination.id).where(Destination.name == name)).one()


def place_of(destination: Destination) -> DestinationPlace:
    """Return the place that a destination is."""
    match destination.kind:
        case DestinationKind.FOLDER:
            return Folder(Path(destination.settings["path"]))


def deliver(store: Store, delivery_id: int) -> None:
    """Deliver a document to its destination; a second call does no harm.

    If something else has its name, it gets the next one.
    """
    while (found := _begin(MACHINE, store, delivery_id)) is not None:
        delivery, document = found
        try:
            with TemporaryFile() as file:
                file.write(store.blobs.get(Blobs.document_key(document.sha256 or "")))
                parcel = Parcel(file, delivery.file_name, document.sha256 or "", delivery.idempotency_key)
                place = place_of(delivery.destination).deliver(parcel)
        except NameTaken:
            _rename(MACHINE, store, delivery_id)
        except (DestinationError, BlobMissing) as exc:
            log.warning("not delivered", action="delivery.failed", delivery_id=delivery_id, cause=repr(exc))
            fail(MACHINE, store, delivery_id, exc.message)
            return
        else:
            _delivered(MACHINE, store, delivery_id, place)
            return


@transaction
def _begin(caller: Caller, session: Session, delivery_id: int) -> tuple[Delivery, Document] | None:
    delivery, document, filing, mappe = _rows(caller, session, delivery_id)
    if delivery.state in {DeliveryState.DELIVERED, DeliveryState.FAILED} or document.sha256 is None:
        return None
    delivery.state, delivery.tries = DeliveryState.DELIVERING, delivery.tries + 1
    filing_changed(session, mappe, filing)
    return delivery, document


@transaction
def _rename(caller: Caller, session: Session, delivery_id: int) -> None:
    delivery, _, filing, mappe = _rows(caller, session, delivery_id)
    take_next_name(session, mappe, filing, delivery)
    filing_changed(session, mappe, filing)


@transaction
def _delivered(caller: Caller, session: Session, delivery_id: int, place: str) -> None:
    delivery, document, filing, mappe = _rows(caller, session, delivery_id)
    delivery.state, delivery.place, delivery.delivered_at = DeliveryState.DELIVERED, place, datetime.now(UTC)
    told = {"count": filing.page_count, "file": document.file_name, "destination": delivery.destination.name}
    filing.change = machine_entry(session, mappe, message=Message(code="filed", params=told))


@transaction
def fail(caller: Caller, session: Session, delivery_id: int, message: Message) -> None:
    """Record why a document was not delivered, unless it was."""
    delivery, _, filing, mappe = _rows(caller, session, delivery_id)
    if delivery.state is not DeliveryState.DELIVERED:
        delivery.state, delivery.message = DeliveryState.FAILED, message.model_dump(mode="json")
        filing_changed(session, mappe, filing)


def _rows(caller: Caller, session: Session, delivery_id: int) -> tuple[Delivery, Document, Filing, Mappe]:
    """Return a delivery, its document, its filing and their Mappe, which is locked first. Raises NotFound."""
    filing_id = session.scalar(
        select(Document.filing_id).join(Delivery, Delivery.document_id == Document.id).where(Delivery.id == delivery_id)
    )
    if filing_id is None:
        raise NotFound("document_gone")
    filing, mappe = locked_filing(caller, session, filing_id)
    delivery = session.get_one(Delivery, delivery_id, populate_existing=True)
    return delivery, session.get_one(Document, delivery.document_id, populate_existing=True), filing, mappe


class FiledDocument(NamedTuple):
    """A document to be opened or saved."""

    file_name: str
    format: Format
    data: bytes


def filed_document(_: Caller, store: Store, filing_id: int) -> FiledDocument:
    """Return the document of a filing, made but perhaps not delivered. Raises NotFound, BlobMissing."""
    with store.begin() as session:
        filing = session.get(Filing, filing_id)
        document = session.scalar(select(Document).where(Document.filing_id == filing_id))
        if filing is None or document is None or document.sha256 is None:
            raise NotFound("document_gone")
    return FiledDocument(document.file_name, filing.format, store.blobs.get(Blobs.document_key(document.sha256)))


def list_filed(_: Caller, store: Store, find: str = "", limit: int = MAX_LISTED) -> list[FiledRow]:
    """Return the delivered documents whose names hold all words of `find`, the newest first."""
    query = (
        select(
            Filing.id.label("filing_id"),
            Filing.mappe_id,
            Delivery.file_name,
            Destination.name.label("destination"),
            Filing.page_count,
            Document.byte_size,
            Delivery.delivered_at,
        )
        .join(Document, Document.id == Delivery.document_id)
        .join(Filing, Filing.id == Document.filing_id)
        .join(Destination, Destination.id == Delivery.destination_id)
        .where(Delivery.state == DeliveryState.DELIVERED)
        .order_by(Delivery.delivered_at.desc())
        .limit(limit)
    )
    for word in find.split():
        query = query.where(Delivery.file_name.icontains(word, autoescape=True))
    with store.begin() as session:
        return [FiledRow(**row) for row in session.execute(query).mappings()]
