"""The station File: making the document of a Mappe and putting it in its place."""

import hashlib
import os
import shutil
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, date, datetime
from functools import partial
from io import BufferedRandom, BufferedReader
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.compute import Compute
from papiermappe.core.encode.formats import Format, write_file
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.pdf import About
from papiermappe.core.languages import language
from papiermappe.core.naming import document_name, safe_file_name
from papiermappe.core.order.places import reading_order
from papiermappe.errors import PapiermappeError
from papiermappe.recognition.errors import ReadingCancelled
from papiermappe.recognition.model import Reads
from papiermappe.services.errors import NotFound, NotPossible, Stopped
from papiermappe.services.journal import locked_mappe, note, pages_of, place_of
from papiermappe.services.making import Making
from papiermappe.services.naming import take_number
from papiermappe.services.reading import NOT_READ, Reading
from papiermappe.services.words import count
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store, tell
from papiermappe.store.errors import DiskFull, StoreError
from papiermappe.store.models import Destination, Filing, FilingState
from papiermappe.store.queue import Work, hand_in

LOOK_EVERY_S = 0.5


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
    reading: Reading = NOT_READ,
    dated: date | None = None,
    kind: Format = Format.PDF,
) -> int:
    """Reserve a name and have the pages of a Mappe, as they are now, made into one document.

    Two who ask at the same time get two names: the number is taken under a lock, the name is unique in the database.

    Args:
        store: of the Mappe.
        mappe_id: of the Mappe.
        destination_id: where the document goes.
        now: what the time is, with its zone.
        level: how small it becomes.
        reading: how its pages are read, so that it can be searched.
        dated: the day in its name; None: today.
        kind: of the file.

    Returns:
        The number of the filing.

    Raises:
        NotFound: there is no such Mappe or destination.
        NotPossible: there is no page to file, or they do not fit into a file of that kind.
    """
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        destination = session.get(Destination, destination_id)
        if destination is None:
            raise NotFound("This destination is not known.")
        snapshot = _snapshot(session, mappe_id)
        if not snapshot:
            raise NotPossible("There is no page to file. Take pages in, or bring some back.")
        if kind.has_one_page and len(snapshot) > 1:
            raise NotPossible(f"A file {kind} holds one page, and there are {len(snapshot)}. Choose another kind.")
        if kind.is_of_words and not reading.languages:
            raise NotPossible("Only words go into such a file: choose the language that they are read in.")
        day = dated or now.date()
        filing = Filing(
            mappe_id=mappe_id,
            destination_id=destination.id,
            dated=day,
            file_name=_free_name(session, destination.id, mappe.subject, day, kind),
            title=mappe.subject or "Papers",
            pages={"pages": snapshot},
            page_count=len(snapshot),
            kind=kind,
            level=level,
            languages=reading.languages,
            care=reading.care,
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


def _free_name(session: Session, destination_id: int, subject: str, day: date, kind: Format) -> str:
    while True:
        name = safe_file_name(document_name(day, subject, take_number(session)) + kind, kind)
        taken = select(Filing.id).where(Filing.destination_id == destination_id, Filing.file_name == name)
        if session.scalar(taken) is None:
            return name


def try_again(store: Store, filing_id: int) -> None:
    """Have a filing that failed or was stopped made again, under the same name. Raises NotFound, NotPossible."""
    with store.begin() as session:
        filing = _filing(session, filing_id)
        if filing.state not in {FilingState.FAILED, FilingState.STOPPED}:
            raise NotPossible("This document is made already, or is being made.")
        filing.state, filing.message, filing.pages_done, filing.stop_wanted = FilingState.QUEUED, None, 0, False
        hand_in(session, Work.FILE, filing_id=filing_id)
        tell(session, filing.mappe_id)


def stop(store: Store, filing_id: int) -> None:
    """Have the making of a document stopped. Raises NotFound, NotPossible."""
    with store.begin() as session:
        filing = _filing(session, filing_id)
        if not filing.state.under_way:
            raise NotPossible("This document is not being made any more.")
        filing.stop_wanted = True
        tell(session, filing.mappe_id)


def make_document(store: Store, filing_id: int, compute: Compute, recogniser: Reads | None, most_px: int) -> None:
    """Make a document and put it in its place; done twice, it does no harm."""
    with store.begin() as session:
        filing = _filing(session, filing_id)
        if not filing.state.under_way:
            return
        filing.state = FilingState.MAKING
        tell(session, filing.mappe_id)
    try:
        with _stop_of(store, filing_id) as stop_wanted:
            step = partial(_pages_are_done, store, filing)
            _make(store, filing, Making(store, filing, compute, recogniser, most_px, stop_wanted, step))
    except (Stopped, ReadingCancelled):
        _ended(store, filing_id, FilingState.STOPPED, "Stopped; nothing was filed. What has been read is known.")
    except PapiermappeError as exc:
        _ended(store, filing_id, FilingState.FAILED, exc.message)


@contextmanager
def _stop_of(store: Store, filing_id: int) -> Iterator[threading.Event]:
    """Give what is set when a filing is to stop."""
    wanted, over = threading.Event(), threading.Event()

    def look() -> None:
        with suppress(StoreError), store.begin() as session:  # when the database is back, it is asked again
            if session.scalar(select(Filing.stop_wanted).where(Filing.id == filing_id)):
                wanted.set()

    def watch() -> None:
        while not (wanted.is_set() or over.wait(LOOK_EVERY_S)):
            look()

    look()
    watcher = threading.Thread(target=watch)
    watcher.start()
    try:
        yield wanted
    finally:
        over.set()
        watcher.join()


def _pages_are_done(store: Store, filing: Filing, count_done: int) -> None:
    with store.begin() as session:
        _filing(session, filing.id).pages_done = count_done
        tell(session, filing.mappe_id)


def _make(store: Store, filing: Filing, making: Making) -> None:
    spoken = language(filing.languages.partition("+")[0]).tag if filing.languages else None
    about = About(filing.title, filing.asked_at, spoken)
    with tempfile.TemporaryFile() as out:
        write_file(filing.kind, making.pages(), out, filing.level, about, tempfile.TemporaryFile)
        making.stop_if_wanted()
        document = _Document(out, _sha256_of(out), out.seek(0, os.SEEK_END))
        store.blobs.keep_file(Blobs.document_key(document.sha256), document.file)
        name = _put_in_place(store, filing, document)
    _filed(store, filing.id, name, document, making)


class _Document(NamedTuple):
    """A document that is made, but has not been put in its place."""

    file: BufferedRandom
    sha256: str
    byte_size: int


def _sha256_of(file: BufferedRandom | BufferedReader) -> str:
    file.seek(0)
    return hashlib.file_digest(file, "sha256").hexdigest()


def _put_in_place(store: Store, filing: Filing, document: _Document) -> str:
    """Put the file into its folder; where its name is taken by a file that is not this one, take the next number."""
    folder = Path(filing.destination.folder)
    name = filing.file_name
    while not _linked(folder, name, document):
        with store.begin() as session:
            mappe = locked_mappe(session, filing.mappe_id)
            name = _free_name(session, filing.destination_id, mappe.subject, filing.dated, filing.kind)
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


def _filed(store: Store, filing_id: int, name: str, document: _Document, making: Making) -> None:
    unread = making.unread
    with store.begin() as session:
        filing = _filing(session, filing_id)
        filing.state, filing.done_at = FilingState.DONE, datetime.now(UTC)
        filing.message = f"{count(len(unread), 'page')} could not be read: {unread[0]}" if unread else None
        filing.byte_size, filing.sha256 = document.byte_size, document.sha256
        filing.made = {"pages": [page.model_dump(mode="json") for page in making.made]}
        note(
            session,
            locked_mappe(session, filing.mappe_id),
            f"{count(filing.page_count, 'page')} filed as {name}",
        )


def _ended(store: Store, filing_id: int, state: FilingState, message: str) -> None:
    with store.begin() as session:
        filing = _filing(session, filing_id)
        filing.state, filing.message = state, message
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
