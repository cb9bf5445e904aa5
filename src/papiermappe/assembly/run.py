"""Making a file of files."""

import os
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from datetime import datetime
from itertools import chain, islice
from pathlib import Path
from typing import BinaryIO, NamedTuple, cast

from papiermappe.ahead import in_order
from papiermappe.assembly.errors import NothingToAssemble
from papiermappe.assembly.order import Order, PageReport, Report, format_of
from papiermappe.assembly.pages import MadePage, made_page
from papiermappe.compute import Compute
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.formats import FilePage, Format, write_file
from papiermappe.core.encode.levels import PAGES_TOGETHER, finished
from papiermappe.core.encode.pdf import About
from papiermappe.core.encode.plain import Readable
from papiermappe.core.languages import language
from papiermappe.core.page_text import PageText
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.treatment import SURE
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.files import pages_of
from papiermappe.errors import PictureRefused
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import Recogniser

PDF_DPI = 300.0
PAGES_AHEAD = 3


class _Source(NamedTuple):
    file: Path
    number: int
    capture: CapturedPicture


class _Page(NamedTuple):
    source: _Source
    made: MadePage
    text: PageText | None
    unread: str | None


class Assembly:
    """The making of one file.

    Args:
        order: what is wanted.
        compute: runs what takes long.
        recogniser: None where none is installed.
        step: told after each page.
        now: what the time is, with its zone.
    """

    def __init__(
        self,
        order: Order,
        compute: Compute,
        recogniser: Recogniser | None,
        step: Callable[[], None],
        now: datetime,
    ) -> None:
        self._order = order
        self._compute = compute
        self._recogniser = recogniser
        self._step = step
        self._now = now
        self._reports: list[PageReport] = []
        self._left_out: list[str] = []

    def run(self) -> Report:
        """Make it.

        Raises:
            NothingToAssemble: no page could be read; nothing is written.
            FileRefused: a file could not be read, and that was to stop everything.
            OSError: the file cannot be written; there is no half one.
        """
        written = self._write(format_of(self._order.out), self._pages())
        return Report(
            out=tuple(str(file) for file in written),
            pages=tuple(self._reports),
            byte_size=sum(file.stat().st_size for file in written),
            level=self._order.level,
            left_out=tuple(self._left_out),
        )

    def _pages(self) -> Iterator[_Page]:
        """Yield the pages, made and read, in their order."""
        for page in in_order(self._made, self._sources(), PAGES_AHEAD):
            self._step()
            if page is not None:
                yield page

    def _sources(self) -> Iterator[_Source]:
        for file in self._order.sources:
            try:
                for number, capture in enumerate(pages_of(file, self._order.dpi or PDF_DPI), 1):
                    yield _Source(file, number, capture)
            except FileRefused as exc:
                self._leave_out(exc)

    def _leave_out(self, exc: FileRefused) -> None:
        if self._order.refuses_broken:
            raise exc
        self._left_out.append(exc.message)

    def _made(self, source: _Source) -> _Page | None:
        try:
            made = self._compute(made_page, source.capture, self._order)
            if made.way_up_open and self._recogniser is not None and made.to_read is not None:
                upright = self._upright(made.to_read)
                if upright is not None:
                    made = self._compute(made_page, source.capture, self._order, upright)
        except PictureRefused as exc:
            self._leave_out(FileRefused(source.file, f"page {source.number}: {exc.message}".rstrip(".")))
            return None
        text, unread = self._read(made)
        return _Page(source, made._replace(to_read=None), text, unread)

    def _upright(self, page: Readable) -> TurnEstimate | None:
        try:
            turn = self._recogniser.find_upright(page.picture, page.dpi) if self._recogniser else None
        except RecogniserError:
            return None
        return turn if turn is not None and turn.confidence >= SURE else None

    def _read(self, made: MadePage) -> tuple[PageText | None, str | None]:
        """Return what is written on a page, or why that is not known."""
        if not self._order.languages or made.to_read is None:
            return None, None
        if self._recogniser is None:
            return None, "No recogniser of text is installed. On Debian: tesseract-ocr."
        try:
            return self._recogniser.read(made.to_read, self._order.languages, self._order.care), None
        except RecogniserError as exc:
            return None, exc.message

    def _write(self, kind: Format, pages: Iterator[_Page]) -> list[Path]:
        first = next(pages, None)
        if first is None:
            why = " ".join(self._left_out)
            raise NothingToAssemble(f"There is no page that could be read; nothing has been written. {why}".strip())
        every = self._reported(chain([first], pages))
        if kind.has_one_page:
            return self._write_each(every)
        with whole_or_not(self._order.out) as file:
            self._write_all(kind, every, file)
        return [self._order.out]

    def _reported(self, pages: Iterable[_Page]) -> Iterator[_Page]:
        """Yield pages, each noted for the report."""
        for page in pages:
            made = page.made
            self._reports.append(
                PageReport(
                    source=str(page.source.file),
                    number=page.source.number,
                    width_mm=round(made.width_mm, 1),
                    height_mm=round(made.height_mm, 1),
                    colour=made.colour.value,
                    skew_deg=made.treatment.skew_deg,
                    findings=made.findings,
                    words=None if page.text is None else sum(len(line.words) for line in page.text.lines()),
                    unread=page.unread,
                )
            )
            yield page

    def _write_all(self, kind: Format, pages: Iterator[_Page], file: BinaryIO) -> None:
        spoken = language(self._order.languages[0]).tag if self._order.languages else None
        about = About(self._order.out.stem, self._now, spoken)
        in_file = self._finished(pages) if kind is Format.PDF else map(_in_file, pages)
        write_file(kind, in_file, file, self._order.level, about, tempfile.TemporaryFile)

    def _finished(self, pages: Iterator[_Page]) -> Iterator[FilePage]:
        """Yield pages of a PDF, finished some at a time; each file begins a bookmark, where there are several."""
        several = len(self._order.sources) > 1
        while group := list(islice(pages, PAGES_TOGETHER)):
            done = self._compute(finished, [page.made.ready.prepared for page in group])
            first = len(self._reports) - len(group)
            for at, (page, encoded) in enumerate(zip(group, done, strict=True), first):
                told = {"made_of": encoded.made_of.value, "byte_size": encoded.byte_size}
                self._reports[at] = self._reports[at].model_copy(update=told)
                begins = page.source.file.stem if several and page.source.number == 1 else None
                yield _in_file(page)._replace(encoded=encoded, begins=begins)

    def _write_each(self, pages: Iterator[_Page]) -> list[Path]:
        """Write a file a page; they are numbered, unless there is one only."""
        out = self._order.out
        written: list[Path] = []
        pending = next(pages, None)
        while pending is not None:
            following = next(pages, None)
            single = following is None and not written
            file = out if single else out.with_stem(f"{out.stem}-{len(written) + 1:03}")
            with whole_or_not(file) as to:
                to.write(pending.made.ready.picture or b"")
            written.append(file)
            pending = following
        return written


def _in_file(page: _Page) -> FilePage:
    return FilePage(page.made.ready, page.made.width_mm, page.made.height_mm, page.text)


@contextmanager
def whole_or_not(file: Path) -> Iterator[BinaryIO]:
    """Open a place to write to that becomes the file when all is written, or vanishes. Raises OSError."""
    with tempfile.NamedTemporaryFile(dir=file.parent, prefix=".", suffix=".part", delete=False) as beside:
        try:
            yield cast(BinaryIO, beside)
            beside.flush()
            os.fsync(beside.fileno())
            Path(beside.name).chmod(0o644)
            Path(beside.name).replace(file)
        except BaseException:
            Path(beside.name).unlink(missing_ok=True)
            raise
