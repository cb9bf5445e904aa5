"""Delivering documents to their destinations, and finding them again."""

import zipfile
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime, timedelta
from tempfile import TemporaryFile
from typing import NamedTuple

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.options import DocumentOptions, SlipPlace
from papiermappe.destinations.errors import DestinationAway, DestinationError, DestinationPartly, NameTaken
from papiermappe.destinations.model import Parcel
from papiermappe.message import Message, SaysMessages
from papiermappe.services.caller import MACHINE, Caller, locked_filing
from papiermappe.services.changes import filing_changed
from papiermappe.services.destinations import place_of
from papiermappe.services.document_names import take_next_name
from papiermappe.services.errors import NotFound
from papiermappe.services.journal import machine_entry
from papiermappe.services.slips import slip_file, slip_without_deliveries
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import BlobMissing, SecretUnreadable
from papiermappe.store.models import Delivery, DeliveryState, Document, Filing, Mappe
from papiermappe.store.queue import JobKind, enqueue_later
from papiermappe.store.secrets import SecretBox

log = structlog.get_logger()

ZIP_CHUNK_BYTES = 1 << 20
FIRST_PAUSE_S, LONGEST_PAUSE_S = 30, 1800
GIVEN_UP_AFTER = timedelta(days=4)
"""A destination may be away for a long weekend."""
GOT_BY = ", "


def deliver(
    store: Store, delivery_id: int, secrets: SecretBox | None = None, words: SaysMessages | None = None
) -> None:
    """Deliver a document to its destination; a second call does no harm.

    If something else has its name, it gets the next one. If the destination is away, it is tried again later.

    Args:
        store: of the delivery.
        delivery_id: which one.
        secrets: opens the passwords of destinations; None: there are none.
        words: puts slips into words; None: they carry codes only.
    """
    while (found := _begin(MACHINE, store, delivery_id)) is not None:
        try:
            place = _bring(store, *found, secrets, words)
        except NameTaken:
            _rename(MACHINE, store, delivery_id)
        except DestinationAway as exc:
            log.info("not delivered yet", action="delivery.away", delivery_id=delivery_id, cause=repr(exc))
            _wait(MACHINE, store, delivery_id, exc.message, exc.got if isinstance(exc, DestinationPartly) else ())
            return
        except (DestinationError, BlobMissing, SecretUnreadable) as exc:
            log.warning("not delivered", action="delivery.failed", delivery_id=delivery_id, cause=repr(exc))
            fail(MACHINE, store, delivery_id, exc.message)
            return
        else:
            _delivered(MACHINE, store, delivery_id, place)
            return


def _bring(
    store: Store,
    delivery: Delivery,
    document: Document,
    filing: Filing,
    secrets: SecretBox | None,
    words: SaysMessages | None,
) -> str:
    options = DocumentOptions.model_validate(filing.options)
    beside = options.slip is SlipPlace.BESIDE
    with TemporaryFile() as file:
        file.write(store.blobs.get(Blobs.document_key(document.sha256 or "")))
        parcel = Parcel(
            file,
            delivery.file_name,
            document.sha256 or "",
            delivery.idempotency_key,
            filing.format.media_type,
            document.title,
            document.page_count,
            slip_file(slip_without_deliveries(store, document.id), words) if beside else None,
            tuple(delivery.place.split(GOT_BY)) if delivery.place else (),
        )
        return place_of(delivery.destination, secrets).deliver(parcel)


@transaction
def _wait(caller: Caller, session: Session, delivery_id: int, message: Message, got: Sequence[str]) -> None:
    """Have a delivery tried again after a pause that grows; give it up after some days.

    Who there has it already, where several get it, is kept as its place.
    """
    delivery, _, filing, mappe = _rows(caller, session, delivery_id)
    if delivery.state is not DeliveryState.DELIVERING:
        return
    now = datetime.now(UTC)
    delivery.message = message.model_dump(mode="json")
    delivery.place = GOT_BY.join(got) or delivery.place
    if now - filing.requested_at > GIVEN_UP_AFTER:
        delivery.state = DeliveryState.FAILED
    else:
        pause_s = min(FIRST_PAUSE_S * 2 ** (delivery.tries - 1), LONGEST_PAUSE_S)
        delivery.state, delivery.next_try_at = DeliveryState.WAITING, now + timedelta(seconds=pause_s)
        enqueue_later(session, JobKind.DELIVER, pause_s, delivery_id=delivery_id)
    filing_changed(session, mappe, filing)


@transaction
def _begin(caller: Caller, session: Session, delivery_id: int) -> tuple[Delivery, Document, Filing] | None:
    delivery, document, filing, mappe = _rows(caller, session, delivery_id)
    if delivery.state in {DeliveryState.DELIVERED, DeliveryState.FAILED} or document.sha256 is None:
        return None
    delivery.state, delivery.tries = DeliveryState.DELIVERING, delivery.tries + 1
    delivery.message, delivery.next_try_at = None, None
    filing_changed(session, mappe, filing)
    return delivery, document, filing


@transaction
def _rename(caller: Caller, session: Session, delivery_id: int) -> None:
    delivery, _, filing, mappe = _rows(caller, session, delivery_id)
    take_next_name(session, filing, delivery)
    filing_changed(session, mappe, filing)


@transaction
def _delivered(caller: Caller, session: Session, delivery_id: int, place: str) -> None:
    delivery, document, filing, mappe = _rows(caller, session, delivery_id)
    delivery.state, delivery.place, delivery.delivered_at = DeliveryState.DELIVERED, place, datetime.now(UTC)
    session.flush()
    message = _filed(session, delivery, document, filing)
    if message is None:
        filing_changed(session, mappe, filing)
    else:
        filing.change = machine_entry(session, mappe, message=message)


def _filed(session: Session, delivery: Delivery, document: Document, filing: Filing) -> Message | None:
    """Return what the history says of a delivery: of several documents it speaks when the last of them is there."""
    states = (
        select(Delivery.state)
        .join(Document, Document.id == Delivery.document_id)
        .where(Document.filing_id == filing.id, Delivery.destination_id == delivery.destination_id)
    )
    there = session.scalars(states).all()
    name = delivery.destination.name
    if len(there) == 1:
        told = {"count": document.page_count, "file": document.file_name, "destination": name}
        return Message(code="filed", params=told)
    if set(there) == {DeliveryState.DELIVERED}:
        return Message(code="filed_documents", params={"count": len(there), "destination": name})
    return None


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
    sha256: str
    byte_size: int


def filed_document(_: Caller, store: Store, document_id: int) -> FiledDocument:
    """Return a document, made but perhaps not delivered. Raises NotFound, BlobMissing."""
    with store.begin() as session:
        document = session.get(Document, document_id)
        if document is None or document.sha256 is None:
            raise NotFound("document_gone")
        kind, sha256 = document.filing.format, document.sha256
    byte_size = store.blobs.byte_size(Blobs.document_key(sha256))
    return FiledDocument(document.file_name, kind, sha256, byte_size)


def bytes_of(store: Store, sha256: str, first: int, end: int) -> Iterator[bytes]:
    """Yield a part of a document, from a byte to the one before `end`, some at a time. Raises BlobMissing."""
    return store.blobs.pieces(Blobs.document_key(sha256), first, end)


class ZippedDocuments(NamedTuple):
    """All documents of a filing in one file, piece by piece."""

    file_name: str
    chunks: Iterator[bytes]


def zipped_documents(_: Caller, store: Store, filing_id: int) -> ZippedDocuments:
    """Return the documents of a filing that are made. Raises NotFound, BlobMissing."""
    with store.begin() as session:
        made = select(Document).where(Document.filing_id == filing_id, Document.sha256.is_not(None))
        documents = session.scalars(made.order_by(Document.number)).all()
    if not documents:
        raise NotFound("document_gone")
    return ZippedDocuments(documents[0].file_name.rpartition(".")[0] + ".zip", _zipped(store, documents))


def _zipped(store: Store, documents: Sequence[Document]) -> Iterator[bytes]:
    """Yield an archive, not compressed: what is in it is. Of names that are alike in it, all but one get a number."""
    taken: set[str] = set()
    with TemporaryFile() as file:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
            for document in documents:
                name = document.file_name
                name = f"{document.number}_{name}" if name in taken else name
                taken.add(name)
                key = Blobs.document_key(document.sha256 or "")
                with archive.open(name, "w", force_zip64=True) as entry:
                    for piece in store.blobs.pieces(key, 0, store.blobs.byte_size(key)):
                        entry.write(piece)
        file.seek(0)
        while chunk := file.read(ZIP_CHUNK_BYTES):
            yield chunk
