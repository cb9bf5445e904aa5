"""Making the documents of a filing."""

import hashlib
import os
import tempfile
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from datetime import UTC, datetime
from itertools import islice
from typing import Any, BinaryIO, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.ahead import in_order
from papiermappe.compute import Compute
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.encode.formats import FilePage, write_file
from papiermappe.core.encode.jpeg import THUMBNAIL_QUALITY
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import About, Attachment, DocumentOptions, FileForm, SlipPlace
from papiermappe.core.encode.plain import Readable
from papiermappe.core.pages import PageForm, PageSource, page_jpeg, readable_page
from papiermappe.core.reading.languages import language
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError
from papiermappe.making.document import PAGES_AHEAD, MadePage, make_pages
from papiermappe.making.fitting import Written, fitted
from papiermappe.message import Message, SaysMessages
from papiermappe.recognition.errors import ReadingCancelled
from papiermappe.recognition.model import TextRecogniser
from papiermappe.services.caller import MACHINE, Caller, locked_filing
from papiermappe.services.changes import filing_changed
from papiermappe.services.document_names import name_document
from papiermappe.services.errors import Stopped
from papiermappe.services.finding import keep_words
from papiermappe.services.pictures import PictureSize, captured_picture
from papiermappe.services.reading import Reader, Reading
from papiermappe.services.slips import slip_file, slip_without_deliveries
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.errors import DatabaseGone, SecretUnreadable, StoreError
from papiermappe.store.models import Capture, Document, Filing, FilingState
from papiermappe.store.queue import JobKind, enqueue
from papiermappe.store.secrets import SecretBox

CHECK_EVERY_S = 0.5
PROGRESS_EVERY_S = 0.25


class Tools(NamedTuple):
    """What documents are made with."""

    compute: Compute
    recogniser: TextRecogniser | None
    """None where none is installed."""
    max_px: int
    """More is not decoded."""
    secrets: SecretBox | None = None
    """Opens the passwords of documents."""
    words: SaysMessages | None = None
    """Puts slips into words; None: they carry codes only."""


def make_documents(store: Store, filing_id: int, tools: Tools) -> None:
    """Make the documents of a filing and have them delivered; done twice, it does no harm.

    Raises:
        DatabaseGone: the database does not answer; the job is tried again.
    """
    filing = _begin_making(MACHINE, store, filing_id)
    if filing is None:
        return
    try:
        with _stop_of(store, filing_id) as stop_wanted:
            _Making(store, filing, tools, stop_wanted).run()
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
        picture, treatment = self.picture(item), Treatment.model_validate(item["treatment"])
        return self._reader.known(picture) or self._reader.brought(item["capture"], treatment, picture)

    def read(self, item: dict[str, Any], page: Readable) -> PageText | Message:
        return self._reader.read(item["capture"], self.picture(item), page)

    def picture(self, item: dict[str, Any]) -> str:
        """Return the name of a page's picture."""
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


class _Making:
    """Makes what is left of a filing."""

    def __init__(self, store: Store, filing: Filing, tools: Tools, stop_wanted: threading.Event) -> None:
        self._store, self._filing, self._tools, self._stop_wanted = store, filing, tools, stop_wanted
        reading = Reading(filing.languages, filing.recognition_mode)
        reader = Reader(store, tools.recogniser, reading, stop_wanted)
        self._supply = _Supply(store, reader, tools.max_px, stop_wanted)
        self._options = DocumentOptions.model_validate(filing.options)
        mode = filing.recognition_mode if filing.languages else None
        self._form = PageForm(filing.format, filing.level, mode, tiff=self._options.tiff)
        self._noted_s = time.monotonic()

    def run(self) -> None:
        """Make the documents in their order, pages of the next one ahead of their turn, and record each."""
        waiting = _unmade(self._store, self._filing.id)
        if not waiting:
            return
        waiting = self._named(waiting)
        coming = None if self._options.limit_bytes else self._pages(waiting[0].first_page, self._filing.page_count)
        for document in waiting:
            with ExitStack() as files:
                made = self._as_wanted(document, coming, files) if coming else self._within(document, files)
                stop_if(self._stop_wanted)
                sha256 = _sha256_of(made.file)
                self._store.blobs.keep_file(Blobs.document_key(sha256), made.file)
            thumbnail = self._thumbnail(document)
            texts = [page.page.text.text if page.page.text else "" for page in made.pages]
            file = _MadeFile(sha256, made.byte_size, _summary(made.pages), texts, thumbnail)
            _record_document(MACHINE, self._store, document.id, file)

    def _named(self, documents: Sequence[Document]) -> list[Document]:
        """Return documents with their names: where these are made of what first pages say, once those are read."""
        nameless = [document for document in documents if not document.file_name]
        texts = in_order(self._text_of_first_page, nameless, PAGES_AHEAD)
        named = {
            document.id: name_document(MACHINE, self._store, document.id, text)
            for document, text in zip(nameless, texts, strict=True)
        }
        return [named.get(document.id, document) for document in documents]

    def _text_of_first_page(self, document: Document) -> PageText | None:
        """Return what the first page of a document says; None where it cannot be read, as its making will say."""
        item = self._filing.pages["pages"][document.first_page]
        known = self._supply.known_text(item)
        if known is not None:
            return known
        source = self._supply.source(item)
        page = self._tools.compute(readable_page, source.capture, source.treatment, self._filing.recognition_mode)
        read = self._supply.read(item, page)
        return read if isinstance(read, PageText) else None

    def _as_wanted(self, document: Document, coming: Iterator[MadePage[Any]], files: ExitStack) -> "_WrittenFile":
        return self._written(document, islice(coming, document.page_count), files)

    def _within(self, document: Document, files: ExitStack) -> "_WrittenFile":
        """Make a document no larger than the limit."""
        made: dict[tuple[Level, ...], _WrittenFile] = {}

        def write(levels: Sequence[Level]) -> Written:
            end = document.first_page + document.page_count
            written = self._written(document, self._pages(document.first_page, end, levels), files)
            made[tuple(levels)] = written
            return Written(written.byte_size, [page.byte_size or 0 for page in written.pages], levels)

        limit_bytes = self._options.limit_bytes or 0
        chosen = fitted(write, document.page_count, self._filing.level, limit_bytes)
        return made[tuple(chosen.levels)]

    def _pages(self, first: int, end: int, levels: Sequence[Level] | None = None) -> Iterator[MadePage[Any]]:
        items = self._filing.pages["pages"][first:end]
        return make_pages(
            items, self._supply, self._form, self._tools.compute, lambda count: self._note(first + count), levels
        )

    def _written(self, document: Document, pages: Iterator[MadePage[Any]], files: ExitStack) -> "_WrittenFile":
        """Write pages to a file that is open until `files` are closed."""
        made: list[MadePage[Any]] = []

        def passing() -> Iterator[FilePage]:
            for page in pages:
                made.append(page)
                yield page.page

        out = files.enter_context(_temporary())
        write_file(self._file_form(document), passing(), out, _temporary)
        return _WrittenFile(out, out.seek(0, os.SEEK_END), made)

    def _file_form(self, document: Document) -> FileForm:
        filing, options = self._filing, self._options
        spoken = language(filing.languages.partition("+")[0]).tag if filing.languages else None
        title = options.title or document.title or "Papers"
        about = About(title, filing.requested_at, spoken, options.author, options.subject, options.keywords)
        attached: tuple[Attachment, ...] = ()
        if options.slip is SlipPlace.ATTACHED:
            attached = (slip_file(slip_without_deliveries(self._store, document.id), self._tools.words),)
        return FileForm(filing.format, filing.level, about, options.tiff, attached, self._password())

    def _password(self) -> str:
        """Return the password of the documents, empty where they have none. Raises SecretUnreadable."""
        sealed, secrets = self._filing.password, self._tools.secrets
        if sealed is None:
            return ""
        if secrets is None:
            raise SecretUnreadable("secret_key_unusable")
        return secrets.open(sealed)

    def _thumbnail(self, document: Document) -> bytes:
        """Return its first page as it is shown in the lanes, which has mostly been made by then."""
        item, size = self._filing.pages["pages"][document.first_page], PictureSize.LANE
        known = self._store.blobs.cached(Blobs.picture_key(self._supply.picture(item), size))
        if known is not None:
            return known
        source = self._supply.source(item)
        return self._tools.compute(page_jpeg, source.capture, source.treatment, size.width_px, THUMBNAIL_QUALITY)

    def _note(self, pages_done: int) -> None:
        if time.monotonic() - self._noted_s > PROGRESS_EVERY_S:
            self._noted_s = time.monotonic()
            _note_progress(MACHINE, self._store, self._filing.id, pages_done)


def _temporary() -> BinaryIO:
    return tempfile.TemporaryFile()


class _WrittenFile(NamedTuple):
    """A document, in a temporary file."""

    file: BinaryIO
    byte_size: int
    pages: list[MadePage[Any]]


def _unmade(store: Store, filing_id: int) -> list[Document]:
    """Return the documents of a filing that have still to be made: they are made in their order."""
    with store.begin() as session:
        unmade = select(Document).where(Document.filing_id == filing_id, Document.sha256.is_(None))
        return list(session.scalars(unmade.order_by(Document.number)))


def _summary(made: list[MadePage[dict[str, Any]]]) -> dict[str, Any]:
    """Return what a document consists of, as a parameter of its message."""
    unread = [page.unread for page in made if page.unread]
    return {
        "pages": [
            {"made_of": page.made_of, "byte_size": page.byte_size or 0, "words": page.words, "level": page.level}
            for page in made
        ],
        "guesses": sum(page.guesses for page in made),
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
    thumbnail: bytes


@transaction
def _record_document(caller: Caller, session: Session, document_id: int, file: _MadeFile) -> None:
    """Write down that a document was made, and have it delivered; with the last of them the filing is made."""
    filing, mappe = locked_filing(caller, session, session.get_one(Document, document_id).filing_id)
    document = session.get_one(Document, document_id, populate_existing=True)
    if filing.state is not FilingState.MAKING or document.sha256 is not None:
        return
    document.sha256, document.byte_size, document.made = file.sha256, file.byte_size, file.made
    document.thumbnail = file.thumbnail
    keep_words(session, document.id, file.texts)
    for delivery in document.deliveries:
        enqueue(session, JobKind.DELIVER, delivery_id=delivery.id)
    filing.pages_done = document.first_page + document.page_count
    if filing.pages_done == filing.page_count:
        filing.state, filing.ended_at, filing.password = FilingState.MADE, datetime.now(UTC), None
    filing_changed(session, mappe, filing)


@transaction
def end(caller: Caller, session: Session, filing_id: int, state: FilingState, message: Message) -> None:
    """End a filing that came to nothing, once."""
    filing, mappe = locked_filing(caller, session, filing_id)
    if filing.state.under_way:
        filing.state, filing.message = state, message.model_dump(mode="json")
        filing.ended_at = datetime.now(UTC)
        filing_changed(session, mappe, filing)
