"""What is written on pages: read once for each treatment and choice of languages, then known."""

import structlog
from pydantic import ValidationError

from papiermappe.core.page_text import PageText
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import Reads
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store

log = structlog.get_logger()


class Reader:
    """Reads the pages of one document.

    Args:
        store: where it is kept what was read.
        recogniser: None where none is installed.
        languages: as in eng+deu; empty: nothing is read.
        unread: takes up why pages could not be read.
    """

    def __init__(self, store: Store, recogniser: Reads | None, languages: str, unread: list[str]) -> None:
        self._store = store
        self._recogniser = recogniser
        self._languages = languages
        self._unread = unread

    def known(self, picture: str) -> PageText | None:
        """Return what was read on a picture before."""
        if not self._languages:
            return None
        key = Blobs.reading_key(picture, self._languages)
        if not self._store.blobs.has(key):
            return None
        try:
            return PageText.model_validate_json(self._store.blobs.get(key))
        except ValidationError:  # an earlier version wrote it: it is read again
            return None

    def wants(self, text: PageText | None) -> bool:
        """Return whether a page of which `text` is known has still to be read."""
        return bool(self._languages) and text is None

    def read(self, picture: str, page: bytes, dpi: float) -> PageText | None:
        """Read a page; None where that is not possible, which is noted."""
        if self._recogniser is None:
            self._unread.append("No recogniser of text is installed. On Debian: tesseract-ocr.")
            return None
        try:
            text = self._recogniser.read(page, dpi, self._languages.split("+"))
        except RecogniserError as exc:
            log.warning("a page is not read", action="page.read", picture=picture, cause=repr(exc))
            self._unread.append(exc.message)
            return None
        self._store.blobs.cache(Blobs.reading_key(picture, self._languages), text.model_dump_json().encode())
        return text
