"""Carrying out an assembly."""

import os
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, cast

from papiermappe.assembly.cutting import FoundPage, cut_documents
from papiermappe.assembly.errors import FileThere, NothingToAssemble
from papiermappe.assembly.kept import PageFolder
from papiermappe.assembly.naming import hidden, named, rule_in
from papiermappe.assembly.pairs import PairedPages
from papiermappe.assembly.request import (
    DEFAULT_LANGUAGES,
    AssemblyRequest,
    Colours,
    CutRequest,
    PageReport,
    PairsReport,
    PartReport,
    Report,
    format_of,
)
from papiermappe.assembly.slip import write_slip
from papiermappe.assembly.source import SourcePage
from papiermappe.assembly.treating import Treatments
from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.formats import FilePage, write_file
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import About, FileForm, SlipPlace
from papiermappe.core.encode.plain import Readable
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.naming.names import name_part
from papiermappe.core.pages import PageForm, PageSource, readable_page, readable_rims
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.languages import language
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.core.reading.printed import Printed, printed_on, printed_on_rims
from papiermappe.core.reading.proposal import Proposals
from papiermappe.core.reading.proposals import proposals_of
from papiermappe.core.text_layer import text_on_page
from papiermappe.core.treatment import SURE, Tone, Treatment, page_size_mm
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.file_reader import FileReader
from papiermappe.devices.files import HowToRead
from papiermappe.errors import PictureRefused
from papiermappe.making.document import MadePage, make_pages
from papiermappe.making.fitting import Written, fitted
from papiermappe.message import Message
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import Recogniser

PDF_DPI = 300.0
STEPS_A_PAGE = 2


class Assembly:
    """Makes one file, or one file a page.

    Args:
        request: to carry out.
        compute: runs what takes long.
        recogniser: None if none is installed.
        step: called `STEPS_A_PAGE` times a page: when it has been examined, and when it has been made.
        now: the current time, with its zone.

    Raises:
        RoutineRefused: the file of the routine cannot be used.
        NamingRuleRefused: the file of the naming rule holds none.
    """

    def __init__(
        self,
        request: AssemblyRequest,
        compute: Compute,
        recogniser: Recogniser | None,
        step: Callable[[], None],
        now: datetime,
    ) -> None:
        self._request = request
        self._compute = compute
        self._recogniser = recogniser
        self._step = step
        self._now = now
        self._analyses: dict[tuple[str, int, str], Analysis] = {}
        self._read: dict[tuple[str, int, str], PageText] = {}
        self._reports: list[PageReport] = []
        self._left_out: list[Message] = []
        self._pairs = PairsReport()
        self._proposals: Proposals | None = None
        self._parts: list[PartReport] | None = None if request.cut is None else []
        self._treatments = Treatments(request, self._analyses, compute)
        self._rule = rule_in(request.naming_rule) if request.naming_rule else None

    def run(self) -> Report:
        """Carry out the request.

        Raises:
            NothingToAssemble: no page could be read; nothing is written.
            FileRefused: a file could not be read, and the request says to stop then.
            LimitOutOfReach: a document cannot be made as small as it is to be.
            FileThere: a file of that name is there already, and is not to be replaced; nothing is written.
            OSError: the file cannot be written; no partial file is left.
        """
        written: list[Path] = []
        with PageFolder() as folder:
            for out, sources in self._documents(folder):
                written += self._document(out, sources, folder)
        if not written:
            causes = [message.model_dump(mode="json") for message in self._left_out]
            raise NothingToAssemble("nothing_to_assemble", causes=causes)
        return Report(
            out=tuple(str(file) for file in written),
            proposals=self._proposals,
            parts=self._parts,
            pages=tuple(self._reports),
            byte_size=sum(file.stat().st_size for file in written),
            level=self._request.level,
            misfits=tuple(self._treatments.misfits),
            left_out=tuple(self._left_out),
            **dict(self._pairs),
        )

    def _document(self, out: Path, sources: Iterable[SourcePage], folder: PageFolder) -> list[Path]:
        """Make one document, in its files; return them."""
        limited = self._request.options.limit_bytes is not None
        pages = self._reported(self._within_limit(out, sources, folder) if limited else self._made(sources))
        before = len(self._reports)
        first = next(pages, None)
        if first is None:
            return []
        self._propose(first.page.text)
        files = self._write(out, first, pages)
        if self._request.options.slip is SlipPlace.BESIDE:
            write_slip(files, self._reports[before:], self._now, self._request.replaces)
        return files

    # ---- where pages come from, and who reads them (PageSupply)

    def source(self, item: SourcePage) -> PageSource | None:
        """Analyse a page and return what it is made from; None where it cannot be decoded, which is noted."""
        analysis = self._found_on(item)
        if analysis is None:
            return None
        wanted = self._request.colours
        colour = analysis.colour if wanted is Colours.AUTO else ColourKind(wanted.value)
        return PageSource(item.capture, self._treatments.of(item), colour)

    def known_text(self, item: SourcePage) -> PageText | None:
        """Return what its file says of a page; None where it says nothing."""
        if item.capture.text is None:
            return self._read.get(item.key)
        treatment = self._treatments.of(item)
        text = text_on_page(item.capture.text, treatment)
        return text.model_copy(update={"languages": tuple(self._request.languages)}) if text else None

    def read(self, item: SourcePage, page: Readable) -> PageText | Message:
        """Read a page, or return why that is not possible."""
        if self._recogniser is None:
            return Message(code="recogniser_absent")
        try:
            read = self._recogniser.read(page, self._request.languages, self._request.mode)
        except RecogniserError as exc:
            return exc.message
        if self._request.options.limit_bytes:  # pages may be made more than once
            self._read[item.key] = read
        return read

    def _found_on(self, item: SourcePage) -> Analysis | None:
        """Analyse a page, once; None where it cannot be decoded, which is noted."""
        known = self._analyses.get(item.key)
        if known is not None:
            return known
        try:
            analysis = self._analysis(item.capture)
        except PictureRefused as exc:
            cause = exc.message.model_dump(mode="json")
            self._leave_out(FileRefused(item.file, "file_page_refused", page=item.number, cause=cause))
            return None
        self._analyses[item.key] = analysis
        self._step()
        return analysis

    def _analysis(self, capture: CapturedPicture) -> Analysis:
        """Analyse a page; ask the recogniser if its orientation is unclear."""
        analysis = self._compute(analyse, capture)
        if not analysis.way_up_open or self._recogniser is None:
            return analysis
        in_grey = analysis.treatment.model_copy(update={"tone": Tone.GREY})
        page = self._compute(readable_page, capture, in_grey, RecognitionMode.ACCURATE)
        upright = self._upright(page)
        return self._compute(analyse, capture, upright) if upright else analysis

    def _upright(self, page: Readable) -> TurnEstimate | None:
        try:
            turn = self._recogniser.find_upright(page.picture, page.dpi) if self._recogniser else None
        except RecogniserError:
            return None
        return turn if turn is not None and turn.confidence >= SURE else None

    def _propose(self, text: PageText | None) -> None:
        """Note what the first page of a document says of it, where it was read."""
        if text is None:
            return
        found = proposals_of(text)
        self._proposals = self._proposals or found
        if self._parts:
            self._parts[-1] = self._parts[-1].model_copy(update={"proposals": found})

    def _documents(self, folder: PageFolder) -> Iterator[tuple[Path, Iterable[SourcePage]]]:
        """Yield each file that is made, and the pages that go into it."""
        out, wanted = self._request.out, self._request.cut
        if wanted is None or self._parts is None:
            yield out, self._sources(folder)
            return
        found = [known for page in self._sources(folder) if (known := self._known(folder, page, wanted))]
        documents = cut_documents(found, wanted)
        files = [out.with_stem(stem) for stem in _stems(out.stem, [document.name for document in documents])]
        there = next((file for file in files if file.exists()), None)
        if there is not None and not self._request.replaces and self._rule is None:
            raise FileThere("file_there", file=str(there))
        for file, document in zip(files, documents, strict=True):
            self._parts.append(document.report(str(file)))
            yield file, (kept.whole() for kept in document.pages)

    def _known(self, folder: PageFolder, page: SourcePage, wanted: CutRequest) -> FoundPage | None:
        """Keep a page, with what cuts are found by; None where it cannot be decoded."""
        analysis = self._found_on(page)
        if analysis is None:
            return None
        head = page.capture.head()
        size_mm = page_size_mm(head.width_px, head.height_px, page.capture.dpi, analysis.treatment)
        printed = self._printed(page, analysis) if wanted.needs_text else None
        return FoundPage(folder.keep(page), analysis, printed, *size_mm)

    def _printed(self, page: SourcePage, analysis: Analysis) -> Printed | None:
        """Return what stands on a page, from its file, or else what is read of its head and foot."""
        known = self.known_text(page)
        if known is not None:
            return printed_on(known)
        if self._recogniser is None or analysis.is_blank:
            return None
        rims = self._compute(readable_rims, page.capture, analysis.treatment, RecognitionMode.FAST)
        languages = self._request.languages or DEFAULT_LANGUAGES
        try:
            return printed_on_rims(self._recogniser.read(rims, languages, RecognitionMode.FAST))
        except RecogniserError:
            return None

    def _sources(self, folder: PageFolder) -> Iterator[SourcePage]:
        """Yield the pages in their order, once it is known what is done to them."""
        pages = self._in_order(folder)
        if not self._treatments.are_of_all_pages:
            yield from pages
            return
        kept = [folder.keep(page) for page in pages if self._found_on(page)]
        yield from (one.whole() for one in self._treatments.all_of(kept, self._is_back))

    def _is_back(self, page: SourcePage) -> bool:
        """Whether a page is a back: of a file of backs, or every second one of a file."""
        return page.file in self._request.backs if self._request.backs else page.number % 2 == 0

    def _in_order(self, folder: PageFolder) -> Iterator[SourcePage]:
        request = self._request
        if not request.backs:
            yield from self._pages_of(request.sources)
            return
        paired = PairedPages(folder, self._found_on, self._compute)
        pages, self._pairs = paired.put_together(
            self._pages_of(request.fronts), self._pages_of(request.backs), request.backs_lie
        )
        yield from pages

    def _pages_of(self, files: Sequence[Path]) -> Iterator[SourcePage]:
        how = HowToRead(self._request.dpi or PDF_DPI, as_photos=self._request.photos)
        with FileReader() as reader:
            for file in files:
                try:
                    for number, capture in enumerate(reader.pages(file, how), 1):
                        yield SourcePage(file, number, capture)
                except FileRefused as exc:
                    self._leave_out(exc)

    def _leave_out(self, exc: FileRefused) -> None:
        if self._request.refuses_broken:
            raise exc
        self._left_out.append(exc.message)

    # ---- what is written

    def _made(
        self, sources: Iterable[SourcePage], levels: Sequence[Level] | None = None
    ) -> Iterator[MadePage[SourcePage]]:
        request = self._request
        mode = request.mode if request.languages else None
        form = PageForm(format_of(request.out), request.level, mode, request.dpi, request.options.tiff)
        return make_pages(sources, self, form, self._compute, levels=levels)

    def _within_limit(
        self, out: Path, sources: Iterable[SourcePage], folder: PageFolder
    ) -> Iterator[MadePage[SourcePage]]:
        """Return the pages of a document, made so that it is no larger than the limit."""
        limit_bytes = self._request.options.limit_bytes or 0
        kept = [folder.keep(page) for page in sources if self._found_on(page)]
        fitting: dict[tuple[Level, ...], list[MadePage[SourcePage]]] = {}

        def write(levels: Sequence[Level]) -> Written:
            made = list(self._made((page.whole() for page in kept), levels))
            with tempfile.TemporaryFile() as file:
                pages = self._file_pages(made[0], iter(made[1:]))
                write_file(self._form(out, out.stem), pages, file, tempfile.TemporaryFile)
                byte_size = file.seek(0, os.SEEK_END)
            if byte_size <= limit_bytes:
                fitting[tuple(levels)] = made
            return Written(byte_size, [page.byte_size or 0 for page in made], levels)

        if not kept:
            return iter(())
        chosen = fitted(write, len(kept), self._request.level, limit_bytes)
        return iter(fitting[tuple(chosen.levels)])

    def _form(self, out: Path, title: str) -> FileForm:
        request, asked = self._request, self._request.options
        spoken = language(request.languages[0]).tag if request.languages else None
        about = About(asked.title or title, self._now, spoken, asked.author, asked.subject, asked.keywords)
        return FileForm(format_of(out), request.level, about, asked.tiff, (), request.password.get_secret_value())

    def _reported(self, pages: Iterator[MadePage[SourcePage]]) -> Iterator[MadePage[SourcePage]]:
        """Yield pages and add each to the report."""
        for made in pages:
            self._step()
            self._reports.append(self._report(made))
            yield made

    def _report(self, made: MadePage[SourcePage]) -> PageReport:
        item = made.item
        wanted = self._request.colours
        treatment = self._treatments.of(item)
        zones, whole = self._treatments.zones_of(item), self._treatments.spread_of(item)
        analysis = self._analyses.pop(item.key)
        return PageReport(
            source=str(item.file),
            number=item.number,
            width_mm=round(made.page.width_mm, 1),
            height_mm=round(made.page.height_mm, 1),
            colour=analysis.colour.value if wanted is Colours.AUTO else wanted.value,
            level=made.level,
            made_of=made.made_of.value if made.made_of else None,
            byte_size=made.byte_size,
            skew_deg=treatment.skew_deg,
            operations=_done_to(treatment),
            corners_px=_corners_px(item.capture, analysis, treatment.quarter_turns),
            confidence=analysis.photo_sheet.confidence if analysis.photo_sheet else None,
            half=item.half,
            gutter=treatment.part.gutter if treatment.part else None,
            gutter_confidence=whole.spread.confidence if whole and whole.spread else None,
            margins_mm=treatment.margins,
            zones=zones,
            findings=tuple(
                Message(code=f"finding_{finding.kind}", params=finding.params) for finding in analysis.findings
            ),
            words=made.words,
            guesses=made.guesses,
            unread=made.unread,
        )

    def _write(self, out: Path, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]) -> list[Path]:
        if format_of(out).has_one_page:
            return self._write_each(out, first, rest)
        if self._rule is None:
            return self._write_one(out, out.stem, first, rest)
        subject = (self._parts[-1].name if self._parts else "") or out.stem
        (file,) = self._write_one(hidden(out), subject, first, rest)
        try:
            made = named(file, self._rule, subject, first.page.text, self._now.date())
        except OSError:
            file.unlink(missing_ok=True)
            raise
        if self._parts:
            self._parts[-1] = self._parts[-1].model_copy(update={"file": str(made)})
        return [made]

    def _write_one(
        self, out: Path, title: str, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]
    ) -> list[Path]:
        with whole_or_not(out) as file:
            write_file(self._form(out, title), self._file_pages(first, rest), file, tempfile.TemporaryFile)
        return [out]

    def _file_pages(self, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]) -> Iterator[FilePage]:
        """Yield pages, with a bookmark at the first page of each of several files."""
        several = len(self._request.sources) > 1
        made: MadePage[SourcePage] | None = first
        while made is not None:
            is_first = made.item.number == 1 and made.item.half != "right"
            begins = made.item.file.stem if several and is_first else None
            yield made.page._replace(begins=begins)
            made = next(rest, None)

    def _write_each(self, out: Path, first: MadePage[SourcePage], rest: Iterator[MadePage[SourcePage]]) -> list[Path]:
        """Write one file a page, numbered if there are several."""
        written: list[Path] = []
        pending: MadePage[SourcePage] | None = first
        while pending is not None:
            following = next(rest, None)
            single = following is None and not written
            file = out if single else out.with_stem(f"{out.stem}-{len(written) + 1:03}")
            with whole_or_not(file) as to:
                to.write(pending.page.content.picture or b"")
            written.append(file)
            pending = following
        return written


def _corners_px(
    photo: CapturedPicture, analysis: Analysis, quarter_turns: int
) -> tuple[tuple[float, float], ...] | None:
    """Return the corners of the sheet on a photo, `(x, y)`, from the top left of the page that it becomes."""
    if analysis.photo_sheet is None:
        return None
    corners = analysis.treatment.corners or analysis.photo_sheet.corners
    from_top_left = (*corners[quarter_turns:], *corners[:quarter_turns])
    return tuple(
        (round(mm_to_px(x_mm, photo.dpi), 1), round(mm_to_px(y_mm, photo.dpi), 1)) for x_mm, y_mm in from_top_left
    )


def _done_to(treatment: Treatment) -> tuple[str, ...]:
    """Return the codes of what is done to a page."""
    done = {
        "make_flat": treatment.corners is not None,
        "uncurl": treatment.straightened_curl is not None,
        "split_spreads": treatment.part is not None,
        "straighten": treatment.skew_deg != 0,
        "crop": treatment.sheet is not None,
        "turn": treatment.quarter_turns != 0,
        "align_margins": treatment.margins != (0.0, 0.0),
        "put_zones": bool(treatment.zones),
    }
    return tuple(code for code, is_done in done.items() if is_done)


def _stems(stem: str, names: Sequence[str]) -> list[str]:
    """Return the names of documents' files without their endings: numbered, with their own names behind."""
    digits = max(2, len(str(len(names))))
    numbered = (f"{stem}-{number:0{digits}}" for number in range(1, len(names) + 1))
    return ["_".join(filter(None, (start, name_part(name)))) for start, name in zip(numbered, names, strict=True)]


@contextmanager
def whole_or_not(file: Path) -> Iterator[BinaryIO]:
    """Open a temporary file that replaces `file` on success and is removed on failure. Raises OSError."""
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
