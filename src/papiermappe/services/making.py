"""Making the pages of a document that is filed: rendered, read and encoded, some ahead of their turn."""

import threading
from collections.abc import Callable, Iterator
from itertools import islice
from typing import Any

from papiermappe.ahead import in_order
from papiermappe.compute import Compute
from papiermappe.core.encode.formats import FilePage, Format
from papiermappe.core.encode.levels import PAGES_TOGETHER, finished
from papiermappe.core.pages import page_for_file
from papiermappe.core.treatment import Treatment, page_size_mm
from papiermappe.recognition.model import Reads
from papiermappe.services.errors import Stopped
from papiermappe.services.made import MadePage, made_pages
from papiermappe.services.pictures import captured_picture
from papiermappe.services.reading import Reader, Reading
from papiermappe.store.database import Store
from papiermappe.store.models import Capture, Filing

PAGES_AHEAD = 3


class Making:
    """The making of the pages of a document.

    Args:
        store: where their captures are.
        filing: what is made.
        compute: runs what takes long.
        recogniser: None where none is installed.
        most_px: larger captures are refused.
        stop_wanted: set when it is to stop.
        step: told after each page how many are done.
    """

    def __init__(
        self,
        store: Store,
        filing: Filing,
        compute: Compute,
        recogniser: Reads | None,
        most_px: int,
        stop_wanted: threading.Event,
        step: Callable[[int], None],
    ) -> None:
        self.unread: list[str] = []
        """Why pages could not be read."""
        self.made: list[MadePage] = []
        """What they are made of, in order."""
        self._store = store
        self._filing = filing
        self._compute = compute
        self._reader = Reader(store, recogniser, Reading(filing.languages, filing.care), self.unread, stop_wanted)
        self._most_px = most_px
        self._stop_wanted = stop_wanted
        self._step = step

    def pages(self) -> Iterator[FilePage]:
        """Yield the pages in order; those of a PDF are finished some at a time. Raises Stopped, ReadingCancelled."""
        ready, is_pdf = self._ready(), self._filing.kind is Format.PDF
        while group := list(islice(ready, PAGES_TOGETHER if is_pdf else 1)):
            if is_pdf:
                done = self._compute(finished, [page.ready.prepared for page in group])
                group = [page._replace(encoded=encoded) for page, encoded in zip(group, done, strict=True)]
            self.made += made_pages(group)
            yield from group

    def stop_if_wanted(self) -> None:
        """Raise Stopped where that is wanted."""
        if self._stop_wanted.is_set():
            raise Stopped("It was stopped.")

    def _ready(self) -> Iterator[FilePage]:
        """Yield the pages in order; a few are being prepared and read ahead of the one that is wanted."""
        for done, page in enumerate(in_order(self._prepared, self._filing.pages["pages"], PAGES_AHEAD), 1):
            yield page
            self._step(done)

    def _prepared(self, entry: dict[str, Any]) -> FilePage:
        self.stop_if_wanted()
        with self._store.begin() as session:
            capture = session.get_one(Capture, entry["capture"])
        treatment = Treatment.model_validate(entry["treatment"])
        picture = treatment.picture_key(capture.sha256)
        text = self._reader.known(picture)
        captured = captured_picture(self._store, capture, self._most_px)
        care = self._reader.wants(text)
        kind, level = self._filing.kind, self._filing.level
        ready, to_read = self._compute(page_for_file, captured, treatment, kind, level, care)
        if to_read is not None:
            text = self._reader.read(capture, picture, to_read)
        size_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
        return FilePage(ready, *size_mm, text)
