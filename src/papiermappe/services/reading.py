"""What is written on pages: read once for each treatment and way of reading, then known."""

import threading
import time
from collections.abc import Sequence
from datetime import timedelta
from typing import NamedTuple

import structlog
from pydantic import ValidationError
from sqlalchemy import exists, func, select
from sqlalchemy.orm import Session

from papiermappe.ahead import in_order
from papiermappe.compute import Compute
from papiermappe.core.encode.plain import Readable
from papiermappe.core.page_text import Care, PageText
from papiermappe.core.pages import readable_page
from papiermappe.core.printed import printed_on
from papiermappe.errors import PapiermappeError
from papiermappe.recognition.errors import ReadingCancelled, RecogniserError
from papiermappe.recognition.model import Reads
from papiermappe.services.journal import pages_of, treatment_of
from papiermappe.services.pictures import captured_picture
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store, tell
from papiermappe.store.models import Capture, Filing, Page
from papiermappe.store.queue import read_soon

log = structlog.get_logger()

EVERYDAY = ("eng", "deu")
ROUND_S = 20.0  # so long one Mappe is read ahead, then others have their turn
ARRIVED_S, UNSEEN_S = 5.0, 60.0  # nothing is read ahead while pages arrive, or wait to be looked at, so long at most


class Reading(NamedTuple):
    """How pages are read."""

    languages: str
    """As in eng+deu; empty: they are not read."""
    care: Care


NOT_READ = Reading("", Care.ACCURATE)


class Reader:
    """Reads pages.

    Args:
        store: where it is kept what was read.
        recogniser: None where none is installed.
        reading: how they are read.
        unread: takes up why pages could not be read.
        cancelled: set when it is to stop.
    """

    def __init__(
        self,
        store: Store,
        recogniser: Reads | None,
        reading: Reading,
        unread: list[str],
        cancelled: threading.Event | None = None,
    ) -> None:
        self._store = store
        self._recogniser = recogniser
        self._reading = reading
        self._unread = unread
        self._cancelled = cancelled

    def known(self, picture: str) -> PageText | None:
        """Return what was read on a picture before."""
        key = self._key(picture)
        if not self._reading.languages or not self._store.blobs.has(key):
            return None
        try:
            return PageText.model_validate_json(self._store.blobs.get(key))
        except ValidationError:  # an earlier version wrote it: it is read again
            return None

    def wants(self, text: PageText | None) -> Care | None:
        """Return how carefully a page of which `text` is known has still to be read; None: not at all."""
        return self._reading.care if self._reading.languages and text is None else None

    def read(self, capture: Capture, picture: str, page: Readable) -> PageText | None:
        """Read a page; None where that is not possible, which is noted. Raises ReadingCancelled."""
        if self._recogniser is None:
            self._unread.append("No recogniser of text is installed. On Debian: tesseract-ocr.")
            return None
        languages, care = self._reading
        try:
            text = self._recogniser.read(page, languages.split("+"), care, self._cancelled)
        except ReadingCancelled:
            raise
        except RecogniserError as exc:
            log.warning("a page is not read", action="page.read", picture=picture, cause=repr(exc))
            self._unread.append(exc.message)
            return None
        self._store.blobs.cache(self._key(picture), text.model_dump_json().encode())
        _record_printed(self._store, capture.id, text)
        return text

    def _key(self, picture: str) -> str:
        return Blobs.reading_key(picture, *self._reading)


def _record_printed(store: Store, capture_id: int, text: PageText) -> None:
    """Write down what is printed on a page, for its order and its name."""
    with store.begin() as session:
        page = session.scalar(select(Page).where(Page.capture_id == capture_id))
        if page is not None:
            page.printed = printed_on(text).model_dump(mode="json")
            tell(session, page.mappe_id)


def everyday_reading(store: Store, installed: Sequence[str]) -> Reading:
    """Return how pages are read unless someone says otherwise: as for the document that was asked for last."""
    with store.begin() as session:
        return _everyday_reading(session, installed)


def _everyday_reading(session: Session, installed: Sequence[str]) -> Reading:
    last = session.execute(select(Filing.languages, Filing.care).order_by(Filing.id.desc()).limit(1)).first()
    if last is not None and set(last.languages.split("+")) <= {"", *installed}:
        return Reading(last.languages, last.care)
    everyday = [code for code in EVERYDAY if code in installed] or sorted(installed)[:1]
    return Reading("+".join(everyday), Care.ACCURATE)


def read_ahead(
    store: Store,
    mappe_id: int,
    not_again: Sequence[int],
    compute: Compute,
    recogniser: Reads | None,
    most_px: int,
    at_a_time: int,
) -> None:
    """Read the pages of a Mappe before anybody asks for it, for some time; then have it go on.

    Args:
        store: of the Mappe.
        mappe_id: of the Mappe.
        not_again: pages that could not be read.
        compute: runs what takes long.
        recogniser: None where none is installed: nothing is done.
        most_px: larger captures are refused.
        at_a_time: so many pages are read side by side.
    """
    if recogniser is None:
        return
    until_s = time.monotonic() + ROUND_S
    try:
        installed = tuple(recogniser.languages())
    except RecogniserError as exc:
        log.warning("pages are not read ahead", action="mappe.read", mappe_id=mappe_id, cause=repr(exc))
        return
    with store.begin() as session:
        reading = _everyday_reading(session, installed)
        waiting = [page for page in _unread(store, session, mappe_id, reading) if page not in not_again]
    reader = Reader(store, recogniser.in_background(), reading, [])

    left: list[int] = []

    def read(page_id: int) -> int | None:
        """Read a page, if there is time; return it where it cannot be read."""
        if left or time.monotonic() >= until_s or _pages_arrive(store):
            left.append(page_id)
            return None
        return None if _is_read(store, page_id, compute, reader, most_px) else page_id

    failed = [page_id for page_id in in_order(read, waiting, at_a_time) if page_id is not None]
    if left:
        with store.begin() as session:
            read_soon(session, mappe_id, [*not_again, *failed])


def _pages_arrive(store: Store) -> bool:
    """Return whether pages are being taken in or looked at, in any Mappe."""
    now = func.now()
    just = Capture.arrived_at > now - timedelta(seconds=ARRIVED_S)
    unseen = Page.look.is_(None) & (Capture.arrived_at > now - timedelta(seconds=UNSEEN_S))
    with store.begin() as session:
        return bool(session.scalar(select(exists().where(Page.capture_id == Capture.id, just | unseen))))


def _unread(store: Store, session: Session, mappe_id: int, reading: Reading) -> list[int]:
    """Return the pages that have been looked at, but not read."""
    if not reading.languages:
        return []
    return [
        page.id
        for page in pages_of(session, mappe_id)
        if page.look is not None
        and not page.put_away
        and (page.printed is None or not store.blobs.has(_reading_key(page, reading)))
    ]


def _reading_key(page: Page, reading: Reading) -> str:
    return Blobs.reading_key(treatment_of(page).picture_key(page.capture.sha256), *reading)


def _is_read(store: Store, page_id: int, compute: Compute, reader: Reader, most_px: int) -> bool:
    """Read a page as it is treated now, unless it has been; return whether that was possible."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None:
            return True
        capture, treatment = page.capture, treatment_of(page)
    picture = treatment.picture_key(capture.sha256)
    text = reader.known(picture)
    care = reader.wants(text)
    if care is None:
        if page.printed is None and text is not None:  # the same picture has been read for another page
            _record_printed(store, capture.id, text)
        return True
    try:
        readable = compute(readable_page, captured_picture(store, capture, most_px), treatment, care)
    except PapiermappeError as exc:
        log.warning("a page is not read ahead", action="page.read", page_id=page_id, cause=repr(exc))
        return False
    return reader.read(capture, picture, readable) is not None
