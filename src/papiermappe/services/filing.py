"""The station File: making documents from a Mappe."""

import hashlib
import os
import tempfile
import threading
import time
import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, date, datetime
from itertools import islice
from typing import Any, BinaryIO, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.formats import FilePage, write_file
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.pdf import About
from papiermappe.core.encode.plain import Readable
from papiermappe.core.naming.filling import texts_of
from papiermappe.core.naming.rule import NamingRule
from papiermappe.core.pages import PageSource
from papiermappe.core.reading.languages import language
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError
from papiermappe.making.document import DocumentSpec, MadePage, make_pages
from papiermappe.message import Message
from papiermappe.recognition.errors import ReadingCancelled
from papiermappe.recognition.model import TextRecogniser
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import filing_changed
from papiermappe.services.destinations import destination_in_use
from papiermappe.services.errors import NotFound, NotPossible, Stopped
from papiermappe.services.finding import keep_words
from papiermappe.services.naming import (
    ByHand,
    NameWanted,
    Words,
    facts_of,
    no_words,
    remember_sender,
    reserve_name,
    rule_for,
    words_known,
)
from papiermappe.services.naming_rules import RuleInUse
from papiermappe.services.pages import analysis_of, pages_of
from papiermappe.services.pictures import captured_picture
from papiermappe.services.planning import PagesWanted, planned_documents
from papiermappe.services.reading import NOT_READ, Reader, Reading
from papiermappe.services.slips import record_of
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone, StoreError
from papiermappe.store.models import (
    Capture,
    Delivery,
    DeliveryState,
    Document,
    Filing,
    FilingState,
    Mappe,
    Page,
)
from papiermappe.store.queue import JobKind, enqueue

CHECK_EVERY_S = 0.5
PROGRESS_EVERY_S = 0.25


class FilingRequest(NamedTuple):
    """What is to be made, and where it is to go."""

    destinations: tuple[int, ...]
    """The first names it."""
    level: Level = Level.BALANCED
    reading: Reading = NOT_READ
    name: NameWanted = NameWanted()
    format: Format = Format.PDF
    pages: PagesWanted = PagesWanted()


def request_filing(caller: Caller, store: Store, mappe_id: int, wanted: FilingRequest, now: datetime) -> int:
    """Reserve names and have the pages of a Mappe, as they are now, made into documents.

    Args:
        caller: who asks.
        store: of the Mappe.
        mappe_id: of the Mappe.
        wanted: what is to be made.
        now: the current time, with its zone.

    Returns:
        The number of the filing.

    Raises:
        NotFound: there is no such Mappe, destination or naming rule.
        NotPossible: there is no page to file, or they do not fit into a file of that format.
        RangeRefused: the ranges of pages make no sense.
    """
    return _request(caller, store, mappe_id, wanted, now, words_known(store, wanted.reading))


@transaction
def _request(
    caller: Caller, session: Session, mappe_id: int, wanted: FilingRequest, now: datetime, words: Words
) -> int:
    mappe = locked_mappe(caller, session, mappe_id)
    destinations = list(dict.fromkeys(wanted.destinations))
    for destination_id in destinations:
        destination_in_use(session, destination_id)
    rule = rule_for(session, destinations[0], wanted.name)
    words = words if rule.rule.needs_words else no_words
    documents = planned_documents(session, mappe_id, wanted.pages)
    longest = max(len(document.pages) for document in documents)
    if wanted.format.has_one_page and longest > 1:
        raise NotPossible("format_holds_one_page", format=wanted.format.value, pages=longest)
    if wanted.format.is_of_words and not wanted.reading.languages:
        raise NotPossible("format_needs_language")
    pages = _pages_of(session, mappe_id, [page for document in documents for page in document.pages])
    snapshot = [_as_filed(page) for page in pages]
    filing = Filing(
        mappe_id=mappe_id,
        pages={"pages": snapshot},
        page_count=len(snapshot),
        format=wanted.format,
        level=wanted.level,
        languages=wanted.reading.languages,
        recognition_mode=wanted.reading.mode,
        naming_rule_id=rule.id,
        naming=rule.rule.model_dump(mode="json"),
        slip=record_of(session, mappe_id, pages, caller.author).model_dump(mode="json"),
        state=FilingState.QUEUED,
        requested_at=now,
    )
    session.add(filing)
    session.flush()
    if len(documents) == 1:
        remember_sender(session, documents[0].pages[0], wanted.name.by_hand.sender)
    first_page = 0
    for number, planned in enumerate(documents, 1):
        subject = planned.name or mappe.subject
        by_hand = wanted.name.by_hand if len(documents) == 1 else ByHand()
        texts = texts_of(rule.rule, facts_of(session, planned.pages[0], subject, by_hand, now.date(), words))
        document = Document(
            filing_id=filing.id,
            number=number,
            title=subject,
            first_page=first_page,
            page_count=len(planned.pages),
            name_texts=list(texts),
            file_name="",
        )
        first_page += len(planned.pages)
        session.add(document)
        _send_to(session, document, destinations, rule, now.date())
    filing_changed(session, mappe, filing)
    enqueue(session, JobKind.MAKE, filing_id=filing.id)
    return filing.id


def _send_to(session: Session, document: Document, destinations: Sequence[int], rule: RuleInUse, today: date) -> None:
    """Reserve the name of a document at its destinations."""
    kind = session.get_one(Filing, document.filing_id).format
    name = reserve_name(session, destinations, rule, document.name_texts, kind, today)
    document.file_name = name.rpartition("/")[2]
    session.flush()
    session.add_all(_delivery(document, destination_id, name) for destination_id in destinations)
    session.flush()


def _delivery(document: Document, destination_id: int, name: str) -> Delivery:
    return Delivery(
        document_id=document.id,
        destination_id=destination_id,
        file_name=name,
        idempotency_key=str(uuid.uuid4()),
        state=DeliveryState.WAITING,
    )


def _pages_of(session: Session, mappe_id: int, wanted: Sequence[int]) -> list[Page]:
    there = {page.id: page for page in pages_of(session, mappe_id)}
    return [there[number] for number in wanted]


def _as_filed(page: Page) -> dict[str, Any]:
    analysis = analysis_of(page)
    colour = analysis.colour if analysis else ColourKind.COLOUR
    return {"capture": page.capture_id, "treatment": page.treatment, "colour": colour.value}


def take_next_name(session: Session, filing: Filing, delivery: Delivery) -> None:
    """Give a document whose name is taken at its destination the next one."""
    document = session.get_one(Document, delivery.document_id)
    rule = RuleInUse(filing.naming_rule_id, NamingRule.model_validate(filing.naming))
    today = filing.requested_at.astimezone().date()
    name = reserve_name(session, [delivery.destination_id], rule, document.name_texts, filing.format, today)
    delivery.file_name, document.file_name = name, name.rpartition("/")[2]


@transaction
def try_again(caller: Caller, session: Session, filing_id: int) -> None:
    """Have what is left of a filing that failed or was stopped made, and delivered, under the same names.

    Raises:
        NotFound: there is no such filing.
        NotPossible: it is made already, or is being made.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    failed = [delivery for delivery in deliveries_of(session, filing_id) if _can_be_tried(delivery)]
    unmade = filing.state in {FilingState.FAILED, FilingState.STOPPED}
    if not (unmade or failed):
        raise NotPossible("filing_already")
    if unmade:
        filing.state, filing.message, filing.pages_done, filing.stop_requested = FilingState.QUEUED, None, 0, False
        enqueue(session, JobKind.MAKE, filing_id=filing_id)
    for delivery in failed:
        delivery.state, delivery.message, delivery.next_try_at = DeliveryState.WAITING, None, None
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing_changed(session, mappe, filing)


@transaction
def stop(caller: Caller, session: Session, filing_id: int) -> None:
    """Have the making of documents stopped, or their waiting for a destination that is away.

    Raises:
        NotFound: there is no such filing.
        NotPossible: there is nothing to stop.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    waiting = [delivery for delivery in deliveries_of(session, filing_id) if delivery.next_try_at is not None]
    if not (filing.state.under_way or waiting):
        raise NotPossible("filing_over")
    filing.stop_requested = filing.state.under_way
    for delivery in waiting:
        delivery.state, delivery.next_try_at = DeliveryState.FAILED, None
        delivery.message = Message(code="delivery_stopped").model_dump(mode="json")
    filing_changed(session, mappe, filing)


def _can_be_tried(delivery: Delivery) -> bool:
    return delivery.state is DeliveryState.FAILED or delivery.next_try_at is not None


@transaction
def send_on(caller: Caller, session: Session, filing_id: int, destination_id: int, now: datetime) -> None:
    """Deliver the documents of a filing to another destination too, under names by its rule.

    Raises:
        NotFound: there is no such filing or destination.
        NotPossible: they go there already, or are not made yet.
    """
    filing, mappe = locked_filing(caller, session, filing_id)
    destination = destination_in_use(session, destination_id)
    there = {delivery.destination_id for delivery in deliveries_of(session, filing_id)}
    if filing.state is not FilingState.MADE or destination_id in there:
        raise NotPossible("documents_go_there", destination=destination.name)
    rule = RuleInUse(filing.naming_rule_id, NamingRule.model_validate(filing.naming))
    today = now.astimezone().date()
    for document in filing.documents:
        name = reserve_name(session, [destination_id], rule, document.name_texts, filing.format, today)
        delivery = _delivery(document, destination_id, name)
        session.add(delivery)
        session.flush()
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing_changed(session, mappe, filing)


def make_documents(
    store: Store, filing_id: int, compute: Compute, recogniser: TextRecogniser | None, max_px: int
) -> None:
    """Make the document of a filing and have it delivered; done twice, it does no harm.

    Raises:
        DatabaseGone: the database does not answer; the job is tried again.
    """
    filing = _begin_making(MACHINE, store, filing_id)
    if filing is None:
        return
    try:
        with _stop_of(store, filing_id) as stop_wanted:
            _make(store, filing, compute, recogniser, max_px, stop_wanted)
    except (Stopped, ReadingCancelled):
        end(MACHINE, store, filing_id, FilingState.STOPPED, Message(code="filing_stopped"))
    except DatabaseGone:
        raise
    except PapiermappeError as exc:
        end(MACHINE, store, filing_id, FilingState.FAILED, exc.message)


@transaction
def _begin_making(caller: Caller, session: Session, filing_id: int) -> Filing | None:
    filing, mappe = locked_filing(caller, session, filing_id)
    if not filing.state.under_way:
        return None
    filing.state, filing.pages_done = FilingState.MAKING, 0
    filing_changed(session, mappe, filing)
    return filing


@contextmanager
def _stop_of(store: Store, filing_id: int) -> Iterator[threading.Event]:
    """Yield an event that is set when the filing is to stop."""
    wanted, over = threading.Event(), threading.Event()

    def check() -> None:
        with suppress(StoreError), store.begin() as session:  # asked again once the database is back
            if session.scalar(select(Filing.stop_requested).where(Filing.id == filing_id)):
                wanted.set()

    def watch() -> None:
        while not (wanted.is_set() or over.wait(CHECK_EVERY_S)):
            check()

    check()
    watcher = threading.Thread(target=watch)
    watcher.start()
    try:
        yield wanted
    finally:
        over.set()
        watcher.join()


class _Supply:
    """The pages of a filing, as they were when it was requested."""

    def __init__(self, store: Store, reader: Reader, max_px: int, stop_wanted: threading.Event) -> None:
        self._store = store
        self._reader = reader
        self._max_px = max_px
        self._stop_wanted = stop_wanted

    def source(self, item: dict[str, Any]) -> PageSource:
        stop_if(self._stop_wanted)
        captured = captured_picture(self._store, self._capture(item), self._max_px)
        return PageSource(captured, Treatment.model_validate(item["treatment"]), _colour(item))

    def known_text(self, item: dict[str, Any]) -> PageText | None:
        picture, treatment = self._picture(item), Treatment.model_validate(item["treatment"])
        return self._reader.known(picture) or self._reader.brought(item["capture"], treatment, picture)

    def read(self, item: dict[str, Any], page: Readable) -> PageText | Message:
        return self._reader.read(item["capture"], self._picture(item), page)

    def _picture(self, item: dict[str, Any]) -> str:
        return Treatment.model_validate(item["treatment"]).picture_key(self._capture(item).sha256)

    def _capture(self, item: dict[str, Any]) -> Capture:
        with self._store.begin() as session:
            return session.get_one(Capture, item["capture"])


def _colour(item: dict[str, Any]) -> ColourKind:
    return ColourKind(item.get("colour", ColourKind.COLOUR))  # filings of before kept all colour


def stop_if(wanted: threading.Event) -> None:
    """Raise Stopped where that is wanted."""
    if wanted.is_set():
        raise Stopped("stopped")


def _make(
    store: Store,
    filing: Filing,
    compute: Compute,
    recogniser: TextRecogniser | None,
    max_px: int,
    stop_wanted: threading.Event,
) -> None:
    reading = Reading(filing.languages, filing.recognition_mode)
    supply = _Supply(store, Reader(store, recogniser, reading, stop_wanted), max_px, stop_wanted)
    mode = filing.recognition_mode if filing.languages else None
    spec = DocumentSpec(filing.format, filing.level, mode)
    waiting = _unmade(store, filing.id)
    if not waiting:
        return
    begun_at = waiting[0].first_page
    made: list[MadePage[dict[str, Any]]] = []

    noted_s = time.monotonic()

    def rendered(count: int) -> None:
        nonlocal noted_s
        if time.monotonic() - noted_s > PROGRESS_EVERY_S:
            noted_s = time.monotonic()
            _note_progress(MACHINE, store, filing.id, begun_at + count)

    def pages() -> Iterator[FilePage]:
        for page in make_pages(filing.pages["pages"][begun_at:], supply, spec, compute, rendered):
            made.append(page)
            yield page.page

    spoken = language(filing.languages.partition("+")[0]).tag if filing.languages else None
    coming = pages()
    for document in waiting:
        made.clear()
        with tempfile.TemporaryFile() as out:
            about = About(document.title or "Papers", filing.requested_at, spoken)
            ours = islice(coming, document.page_count)
            write_file(filing.format, ours, out, filing.level, about, tempfile.TemporaryFile)
            stop_if(stop_wanted)
            sha256, byte_size = _sha256_of(out), out.seek(0, os.SEEK_END)
            store.blobs.keep_file(Blobs.document_key(sha256), out)
        texts = [page.page.text.text if page.page.text else "" for page in made]
        _record_document(MACHINE, store, document.id, _MadeFile(sha256, byte_size, _summary(made), texts))


def _unmade(store: Store, filing_id: int) -> list[Document]:
    """Return the documents of a filing that have still to be made: they are made in their order."""
    with store.begin() as session:
        unmade = select(Document).where(Document.filing_id == filing_id, Document.sha256.is_(None))
        return list(session.scalars(unmade.order_by(Document.number)))


def _summary(made: list[MadePage[dict[str, Any]]]) -> dict[str, Any]:
    """Return what a document consists of, as a parameter of its message."""
    unread = [page.unread for page in made if page.unread]
    return {
        "pages": [{"made_of": page.made_of, "byte_size": page.byte_size or 0, "words": page.words} for page in made],
        "unread": len(unread),
        "unread_cause": unread[0].model_dump(mode="json") if unread else None,
    }


def _sha256_of(file: BinaryIO) -> str:
    file.seek(0)
    return hashlib.file_digest(file, "sha256").hexdigest()  # type: ignore[arg-type]  # an open file is one


@transaction
def _note_progress(caller: Caller, session: Session, filing_id: int, pages_done: int) -> None:
    filing, mappe = locked_filing(caller, session, filing_id)
    filing.pages_done = pages_done
    filing_changed(session, mappe, filing)


class _MadeFile(NamedTuple):
    sha256: str
    byte_size: int
    made: dict[str, Any]
    texts: Sequence[str]
    """What its pages say; empty for those that were not read."""


@transaction
def _record_document(caller: Caller, session: Session, document_id: int, file: _MadeFile) -> None:
    """Write down that a document was made, and have it delivered; with the last of them the filing is made."""
    filing, mappe = locked_filing(caller, session, session.get_one(Document, document_id).filing_id)
    document = session.get_one(Document, document_id, populate_existing=True)
    if filing.state is not FilingState.MAKING or document.sha256 is not None:
        return
    document.sha256, document.byte_size, document.made = file.sha256, file.byte_size, file.made
    keep_words(session, document.id, file.texts)
    for delivery in document.deliveries:
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing.pages_done = document.first_page + document.page_count
    if filing.pages_done == filing.page_count:
        filing.state, filing.ended_at = FilingState.MADE, datetime.now(UTC)
    filing_changed(session, mappe, filing)


@transaction
def end(caller: Caller, session: Session, filing_id: int, state: FilingState, message: Message) -> None:
    """End a filing that came to nothing, once."""
    filing, mappe = locked_filing(caller, session, filing_id)
    if filing.state.under_way:
        filing.state, filing.message = state, message.model_dump(mode="json")
        filing.ended_at = datetime.now(UTC)
        filing_changed(session, mappe, filing)


def locked_filing(caller: Caller, session: Session, filing_id: int) -> tuple[Filing, Mappe]:
    """Return a filing and its Mappe, both kept for this transaction: the Mappe always first. Raises NotFound."""
    mappe_id = session.scalar(select(Filing.mappe_id).where(Filing.id == filing_id))
    if mappe_id is None:
        raise NotFound("filing_gone")
    mappe = locked_mappe(caller, session, mappe_id)
    return session.get_one(Filing, filing_id, populate_existing=True), mappe


def deliveries_of(session: Session, filing_id: int) -> list[Delivery]:
    """Return where the documents of a filing go."""
    of_filing = select(Delivery).join(Document, Document.id == Delivery.document_id)
    return list(session.scalars(of_filing.where(Document.filing_id == filing_id).order_by(Delivery.id)))
