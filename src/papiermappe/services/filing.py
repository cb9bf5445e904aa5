"""The station File: making the document of a Mappe and putting it in its place."""

import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from io import BufferedRandom, BufferedReader
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.ahead import in_order
from papiermappe.compute import Compute
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import PAGES_TOGETHER, PreparedPage, finished
from papiermappe.core.encode.pdf import About, PdfPage, write_pdf
from papiermappe.core.languages import language
from papiermappe.core.naming import document_name, safe_file_name
from papiermappe.core.order.places import reading_order
from papiermappe.core.page_text import PageText
from papiermappe.core.pages import prepared_page
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.errors import PapiermappeError
from papiermappe.recognition.model import Reads
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.journal import locked_mappe, note, pages_of, place_of
from papiermappe.services.naming import take_number
from papiermappe.services.pictures import captured_picture
from papiermappe.services.reading import Reader
from papiermappe.services.words import count
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store, tell
from papiermappe.store.errors import DiskFull, StoreError
from papiermappe.store.models import Capture, Destination, Filing, FilingState
from papiermappe.store.queue import Work, hand_in

PDF = ".pdf"
PAGES_AHEAD = 3


class FiledRow(NamedTuple):
    """A filed document on the start page."""

    id: int
    mappe_id: int
    file_name: str
    destination: str
    page_count: int
    byte_size: int
    done_at: datetime


def list_destinations(store: Store) -> list[tuple[int, str]]:
    """Return number and name of all destinations."""
    with store.begin() as session:
        return [
            (row.id, row.name)
            for row in session.execute(select(Destination.id, Destination.name).order_by(Destination.id))
        ]


def add_destination(store: Store, name: str, folder: Path) -> int:
    """Add a folder that files go to, or return the one of that name."""
    with store.begin() as session:
        known = session.scalar(select(Destination).where(Destination.name == name))
        if known is None:
            known = Destination(name=name, folder=str(folder))
            session.add(known)
            session.flush()
        return known.id


def ask_for_filing(
    store: Store,
    mappe_id: int,
    destination_id: int,
    now: datetime,
    level: Level = Level.BALANCED,
    languages: Sequence[str] = (),
) -> int:
    """Reserve a name and have the pages of a Mappe, as they are now, made into one document.

    With `languages` its pages are read, so that it can be searched. Two who ask at the same time get two names: the
    number is taken under a lock, the name is unique in the database.
    """
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        destination = session.get(Destination, destination_id)
        if destination is None:
            raise NotFound("This destination is not known.")
        snapshot = _snapshot(session, mappe_id)
        if not snapshot:
            raise NotPossible("There is no page to file. Take pages in, or bring some back.")
        filing = Filing(
            mappe_id=mappe_id,
            destination_id=destination.id,
            file_name=_free_name(session, destination.id, mappe.subject, now),
            title=mappe.subject or "Papers",
            pages={"pages": snapshot},
            page_count=len(snapshot),
            level=level,
            languages="+".join(languages),
            state=FilingState.QUEUED,
            asked_at=now,
        )
        session.add(filing)
        session.flush()
        hand_in(session, Work.FILE, filing_id=filing.id)
        tell(session, mappe_id)
        return filing.id


def _snapshot(session: Session, mappe_id: int) -> list[dict[str, object]]:
    pages = {page.id: page for page in pages_of(session, mappe_id) if not page.put_away}
    ordered = [pages[place.page_id] for place in reading_order(place_of(page) for page in pages.values())]
    return [{"capture": page.capture_id, "treatment": page.treatment} for page in ordered]


def _free_name(session: Session, destination_id: int, subject: str, today: datetime) -> str:
    while True:
        name = safe_file_name(document_name(today.date(), subject, take_number(session)) + PDF, PDF)
        taken = select(Filing.id).where(Filing.destination_id == destination_id, Filing.file_name == name)
        if session.scalar(taken) is None:
            return name


def try_again(store: Store, filing_id: int) -> None:
    """Have a filing that failed made again, under the same name."""
    with store.begin() as session:
        filing = _filing(session, filing_id)
        if filing.state is not FilingState.FAILED:
            raise NotPossible("This document is made already, or is being made.")
        filing.state, filing.message, filing.pages_done = FilingState.QUEUED, None, 0
        hand_in(session, Work.FILE, filing_id=filing_id)
        tell(session, filing.mappe_id)


def make_document(store: Store, filing_id: int, compute: Compute, recogniser: Reads | None, most_px: int) -> None:
    """Make a document and put it in its place; done twice, it does no harm."""
    with store.begin() as session:
        filing = _filing(session, filing_id)
        if filing.state is FilingState.DONE:
            return
        filing.state = FilingState.MAKING
        tell(session, filing.mappe_id)
    try:
        unread: list[str] = []
        pages = _made_pages(store, filing, compute, Reader(store, recogniser, filing.languages, unread), most_px)
        spoken = language(filing.languages.partition("+")[0]).tag if filing.languages else None
        about = About(filing.title, filing.asked_at, spoken)
        with tempfile.TemporaryFile() as out:
            write_pdf(pages, out, about, tempfile.TemporaryFile)
            document = _Document(out, _sha256_of(out), out.seek(0, os.SEEK_END))
            store.blobs.keep_file(Blobs.document_key(document.sha256), document.file)
            name = _put_in_place(store, filing, document)
    except PapiermappeError as exc:
        _failed(store, filing_id, exc.message)
        return
    _filed(store, filing_id, name, document, unread)


class _Document(NamedTuple):
    """A document that is made, but has not been put in its place."""

    file: BufferedRandom
    sha256: str
    byte_size: int


def _sha256_of(file: BufferedRandom | BufferedReader) -> str:
    file.seek(0)
    return hashlib.file_digest(file, "sha256").hexdigest()


class _Made(NamedTuple):
    """A page on its way into a document."""

    page: PreparedPage
    width_mm: float
    height_mm: float
    text: PageText | None


def _made_pages(store: Store, filing: Filing, compute: Compute, reader: Reader, most_px: int) -> Iterator[PdfPage]:
    """Yield the pages in order, finished some at a time."""
    ready = _prepared_pages(store, filing, compute, reader, most_px)
    while group := list(islice(ready, PAGES_TOGETHER)):
        pages = compute(finished, [one.page for one in group])
        yield from (
            PdfPage(page, one.width_mm, one.height_mm, one.text) for page, one in zip(pages, group, strict=True)
        )


def _prepared_pages(store: Store, filing: Filing, compute: Compute, reader: Reader, most_px: int) -> Iterator[_Made]:
    """Yield the pages in order; a few are being prepared and read ahead of the one that is wanted."""

    def made(entry: dict[str, Any]) -> _Made:
        with store.begin() as session:
            capture = session.get_one(Capture, entry["capture"])
        treatment = Treatment.model_validate(entry["treatment"])
        picture = treatment.picture_key(capture.sha256)
        text = reader.known(picture)
        page, to_read = compute(
            prepared_page, captured_picture(store, capture, most_px), treatment, filing.level, reader.wants(text)
        )
        if to_read is not None:
            text = reader.read(picture, to_read, capture.dpi)
        size_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
        return _Made(page, *size_mm, text)

    for done, page in enumerate(in_order(made, filing.pages["pages"], PAGES_AHEAD), 1):
        yield page
        with store.begin() as session:
            _filing(session, filing.id).pages_done = done
            tell(session, filing.mappe_id)


def _put_in_place(store: Store, filing: Filing, document: _Document) -> str:
    """Put the file into its folder; where its name is taken by a file that is not this one, take the next number."""
    folder = Path(filing.destination.folder)
    name = filing.file_name
    while not _linked(folder, name, document):
        with store.begin() as session:
            mappe = locked_mappe(session, filing.mappe_id)
            name = _free_name(session, filing.destination_id, mappe.subject, filing.asked_at.astimezone())
            _filing(session, filing.id).file_name = name
    return name


def _linked(folder: Path, name: str, document: _Document) -> bool:
    """Write beside, flush, then link to the name: the file is there whole or not at all, and none is overwritten."""
    target = folder / name
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=folder, prefix=".", suffix=".part") as beside:
            document.file.seek(0)
            shutil.copyfileobj(document.file, beside)
            beside.flush()
            os.fsync(beside.fileno())
            try:
                os.link(beside.name, target)
            except FileExistsError:
                with target.open("rb") as there:
                    return _sha256_of(there) == document.sha256
            target.chmod(0o644)
    except OSError as exc:
        if exc.errno == 28:  # ENOSPC
            raise DiskFull(
                f"There is no room left in {folder}. The scans are safe. Make room, then try again."
            ) from exc
        raise StoreError(
            f"The folder {folder} cannot be written to. The scans are safe. See to the folder, then try again."
        ) from exc
    return True


def _filed(store: Store, filing_id: int, name: str, document: _Document, unread: list[str]) -> None:
    with store.begin() as session:
        filing = _filing(session, filing_id)
        filing.state, filing.done_at = FilingState.DONE, datetime.now(UTC)
        filing.message = f"{count(len(unread), 'page')} could not be read: {unread[0]}" if unread else None
        filing.byte_size, filing.sha256 = document.byte_size, document.sha256
        note(
            session,
            locked_mappe(session, filing.mappe_id),
            f"{count(filing.page_count, 'page')} filed as {name}",
        )


def _failed(store: Store, filing_id: int, message: str) -> None:
    with store.begin() as session:
        filing = _filing(session, filing_id)
        filing.state, filing.message = FilingState.FAILED, message
        tell(session, filing.mappe_id)


def _filing(session: Session, filing_id: int) -> Filing:
    found = session.get(Filing, filing_id, with_for_update={"of": Filing})
    if found is None:
        raise NotFound("This document is not there.")
    return found


def filed_document(store: Store, filing_id: int) -> tuple[str, bytes]:
    """Return name and contents of a filed document. Raises NotFound."""
    with store.begin() as session:
        filing = session.get(Filing, filing_id)
        if filing is None or filing.sha256 is None:
            raise NotFound("This document is not there, or not made yet.")
    return filing.file_name, store.blobs.get(Blobs.document_key(filing.sha256))


def list_filed(store: Store, words: str = "", most: int = 200) -> list[FiledRow]:
    """Return the filed documents whose names hold all the words, the newest first."""
    with store.begin() as session:
        query = select(Filing).where(Filing.state == FilingState.DONE).order_by(Filing.done_at.desc()).limit(most)
        for word in words.split():
            query = query.where(Filing.file_name.icontains(word, autoescape=True))
        return [
            FiledRow(
                one.id,
                one.mappe_id,
                one.file_name,
                one.destination.name,
                one.page_count,
                one.byte_size or 0,
                one.done_at or one.asked_at,
            )
            for one in session.scalars(query)
        ]
