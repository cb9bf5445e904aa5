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
from papiermappe.core.pages import readable_page, readable_rims
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.core.reading.printed import Printed, printed_on, printed_on_rims
from papiermappe.core.text_layer import text_on_page
from papiermappe.core.treatment import Treatment
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message
from papiermappe.recognition.errors import ReadingCancelled, RecogniserError
from papiermappe.recognition.model import TextRecogniser
from papiermappe.services.caller import MACHINE, Caller, locked_mappe
from papiermappe.services.changes import next_change
from papiermappe.services.live_runs import is_receiving
from papiermappe.services.pages import pages_of, picture_name, treatment_of
from papiermappe.services.pairing_by_itself import pair_again
from papiermappe.services.pictures import captured_picture
from papiermappe.services.transaction import transaction
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Filing, Page
from papiermappe.store.queue import read_soon

log = structlog.get_logger()

PREFERRED = ("eng", "deu")
RIMS_FIRST_FROM = 6  # of so many pages numbers are wanted sooner than all of them can be read
ROUND_S = 20.0  # so long one Mappe is read ahead, then others have their turn
ARRIVED_S, UNSEEN_S = 5.0, 60.0  # nothing is read ahead while pages arrive, or wait to be analysed, so long at most


class Reading(NamedTuple):
    """How pages are read."""

    languages: str
    """As in eng+deu; empty: they are not read."""
    mode: RecognitionMode


NOT_READ = Reading("", RecognitionMode.ACCURATE)


class Reader:
    """Reads pages, and remembers what it has read.

    Args:
        store: where the text of pages is kept.
        recogniser: None where none is installed.
        reading: how they are read.
        cancelled: set when it is to stop.
    """

    def __init__(
        self,
        store: Store,
        recogniser: TextRecogniser | None,
        reading: Reading,
        cancelled: threading.Event | None = None,
    ) -> None:
        self._store = store
        self._recogniser = recogniser
        self._reading = reading
        self._cancelled = cancelled

    def known(self, picture: str) -> PageText | None:
        """Return what was read on a picture before."""
        if not self._reading.languages:
            return None
        kept = self._store.blobs.cached(self._key(picture))
        try:
            return PageText.model_validate_json(kept) if kept else None
        except ValidationError:  # an earlier version wrote it: it is read again
            return None

    def brought(self, capture_id: int, treatment: Treatment, picture: str) -> PageText | None:
        """Return what the file of a page says of it, if it says anything: then nothing has to be recognised."""
        with self._store.begin() as session:
            layer = session.scalar(select(Capture.text_layer).where(Capture.id == capture_id))
        languages = tuple(code for code in self._reading.languages.split("+") if code)
        if layer is None or not languages:
            return None
        text = text_on_page(PageText.model_validate(layer), treatment)
        if text is None:
            return None
        text = text.model_copy(update={"languages": languages})
        self._keep(capture_id, picture, text)
        return text

    def read(self, capture_id: int, picture: str, page: Readable) -> PageText | Message:
        """Read a page; return why where that is not possible. Raises ReadingCancelled."""
        if self._recogniser is None:
            return Message(code="recogniser_absent")
        languages, mode = self._reading
        try:
            text = self._recogniser.read(page, languages.split("+"), mode, self._cancelled)
        except ReadingCancelled:
            raise
        except RecogniserError as exc:
            log.warning("a page is not read", action="page.read", picture=picture, cause=repr(exc))
            return exc.message
        self._keep(capture_id, picture, text)
        return text

    def _keep(self, capture_id: int, picture: str, text: PageText) -> None:
        self._store.blobs.cache(self._key(picture), text.model_dump_json().encode())
        record_printed(MACHINE, self._store, capture_id, printed_on(text))

    def _key(self, picture: str) -> str:
        return Blobs.reading_key(picture, *self._reading)


@transaction
def record_printed(caller: Caller, session: Session, capture_id: int, found: Printed) -> None:
    """Write down what is printed on the pages of a capture, for their order and their name."""
    printed = found.model_dump(mode="json")
    named = select(Page.id, Page.mappe_id).where(Page.capture_id == capture_id).order_by(Page.mappe_id)
    lying = [(page_id, mappe_id) for page_id, mappe_id in session.execute(named).all() if mappe_id is not None]
    for page_id, mappe_id in lying:
        mappe = locked_mappe(caller, session, mappe_id)
        page = session.get_one(Page, page_id, populate_existing=True)
        if page.printed != printed:
            page.printed = printed
            page.revision = page.content_revision = next_change(session, mappe)


def last_used_reading(_: Caller, store: Store, installed: Sequence[str]) -> Reading:
    """Return how pages are read unless someone says otherwise: as for the document that was requested last."""
    with store.begin() as session:
        return _last_used_reading(session, installed)


def _last_used_reading(session: Session, installed: Sequence[str]) -> Reading:
    newest = select(Filing.languages, Filing.recognition_mode).order_by(Filing.id.desc()).limit(1)
    last = session.execute(newest).first()
    if last is not None and set(last.languages.split("+")) <= {"", *installed}:
        return Reading(last.languages, last.recognition_mode)
    preferred = [code for code in PREFERRED if code in installed] or sorted(installed)[:1]
    return Reading("+".join(preferred), RecognitionMode.ACCURATE)


def read_ahead(
    store: Store,
    mappe_id: int,
    excluded: Sequence[int],
    compute: Compute,
    recogniser: TextRecogniser | None,
    max_px: int,
    at_a_time: int,
) -> None:
    """Read the pages of a Mappe before anybody asks for it, for some time; then have it go on.

    Args:
        store: of the Mappe.
        mappe_id: of the Mappe.
        excluded: pages that could not be read.
        compute: runs what takes long.
        recogniser: None where none is installed: nothing is done.
        max_px: larger captures are refused.
        at_a_time: so many pages are read side by side.
    """
    if recogniser is None:
        return
    try:
        installed = tuple(recogniser.languages())
    except RecogniserError as exc:
        log.warning("pages are not read ahead", action="mappe.read", mappe_id=mappe_id, cause=repr(exc))
        return
    with store.begin() as session:
        unread = _unread(store, session, mappe_id, _last_used_reading(session, installed), excluded)
    turn = _Turn(store, compute, recogniser.in_background(), unread.reading, max_px)
    unreadable: list[int | None] = []
    if unread.naming and not _pages_arrive(store, ARRIVED_S):
        unreadable.append(turn.read(unread.naming))
    if unread.rims:
        list(in_order(turn.read_rims, unread.rims, 1 if unread.receiving else at_a_time))
        if not turn.is_over:
            store.run(lambda session: pair_again(session, mappe_id))
    unreadable += in_order(turn.read, [page_id for page_id in unread.pages if page_id not in unreadable], at_a_time)
    failed = [page_id for page_id in unreadable if page_id is not None]
    if turn.is_over:
        store.run(lambda session: read_soon(session, mappe_id, [*excluded, *failed]))


class _Turn:
    """Reads pages for some time; what comes after it is left, and other Mappen have their turn.

    Args:
        store: of the pages.
        compute: runs what takes long.
        recogniser: reads in the background.
        reading: how pages are read.
        max_px: larger captures are refused.
    """

    def __init__(
        self, store: Store, compute: Compute, recogniser: TextRecogniser, reading: Reading, max_px: int
    ) -> None:
        self.is_over = False
        self._until_s = time.monotonic() + ROUND_S
        self._store = store
        self._compute = compute
        self._recogniser = recogniser
        self._reading = reading
        self._max_px = max_px

    def read(self, page_id: int) -> int | None:
        """Read a page, if there is time; return it where it cannot be read."""
        if self._ends(ARRIVED_S):
            return None
        reader = Reader(self._store, self._recogniser, self._reading)
        is_read = _is_read(self._store, page_id, self._compute, reader, self._reading, self._max_px)
        return None if is_read else page_id

    def read_rims(self, page_id: int) -> None:
        """Read the head and the foot of a page, if there is time."""
        if not self._ends(0.0):
            _read_rims(self._store, page_id, self._compute, self._recogniser, self._reading, self._max_px)

    def _ends(self, pause_s: float) -> bool:
        self.is_over = self.is_over or time.monotonic() >= self._until_s or _pages_arrive(self._store, pause_s)
        return self.is_over


def _pages_arrive(store: Store, pause_s: float) -> bool:
    """Return whether pages arrive or wait to be analysed, in any Mappe.

    Args:
        store: of the Mappen.
        pause_s: so long after the last one they are still said to arrive.
    """
    now = func.now()
    just = Capture.arrived_at > now - timedelta(seconds=pause_s)
    unseen = Page.analysis.is_(None) & (Capture.arrived_at > now - timedelta(seconds=UNSEEN_S))
    with store.begin() as session:
        return bool(session.scalar(select(exists().where(Page.capture_id == Capture.id, just | unseen))))


def _read_rims(
    store: Store, page_id: int, compute: Compute, recogniser: TextRecogniser, reading: Reading, max_px: int
) -> None:
    """Read the head and the foot of a page, for its number; what fails is read with the whole page later."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None or page.printed is not None:
            return
        capture, treatment = page.capture, treatment_of(page)
    try:
        rims = compute(readable_rims, captured_picture(store, capture, max_px), treatment, RecognitionMode.FAST)
        text = recogniser.read(rims, reading.languages.split("+"), RecognitionMode.FAST)
    except PapiermappeError as exc:
        log.warning("the rims of a page are not read", action="page.rims", page_id=page_id, cause=repr(exc))
        return
    record_printed(MACHINE, store, capture.id, printed_on_rims(text))


class _Unread(NamedTuple):
    """What is to be read of a Mappe."""

    reading: Reading
    pages: list[int]
    rims: list[int]
    """Pages whose head and foot are read before all of them; none where they are few."""
    naming: int | None
    """The page by which the document is named, where other pages' heads and feet would come before it."""
    receiving: bool
    """Whether pages are still coming: a recogniser needs much memory."""


def _unread(store: Store, session: Session, mappe_id: int, reading: Reading, excluded: Sequence[int]) -> _Unread:
    """Return what has been analysed, but not read."""
    lying = [page for page in pages_of(session, mappe_id) if not page.set_aside]
    pages = (
        [page for page in lying if page.analysis is not None and page.id not in excluded] if reading.languages else []
    )
    waiting = [
        page.id
        for page in pages
        if page.printed is None or not store.blobs.has(Blobs.reading_key(picture_name(page), *reading))
    ]
    rims = [page.id for page in pages if page.printed is None]
    if len(rims) < RIMS_FIRST_FROM:
        rims = []
    naming = waiting[0] if rims and waiting[0] == lying[0].id else None
    return _Unread(reading, waiting, rims, naming, is_receiving(session, mappe_id))


def _is_read(store: Store, page_id: int, compute: Compute, reader: Reader, reading: Reading, max_px: int) -> bool:
    """Read a page as it is treated now, unless it has been; return whether that was possible."""
    with store.begin() as session:
        page = session.get(Page, page_id)
        if page is None:
            return True
        capture, treatment = page.capture, treatment_of(page)
    picture = treatment.picture_key(capture.sha256)
    text = reader.known(picture)
    if text is not None:
        record_printed(MACHINE, store, capture.id, printed_on(text))  # it was read for another page
        return True
    if reader.brought(capture.id, treatment, picture) is not None:
        return True
    try:
        readable = compute(readable_page, captured_picture(store, capture, max_px), treatment, reading.mode)
    except PapiermappeError as exc:
        log.warning("a page is not read ahead", action="page.read", page_id=page_id, cause=repr(exc))
        return False
    return isinstance(reader.read(capture.id, picture, readable), PageText)
