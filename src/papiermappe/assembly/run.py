"""Carrying out an assembly."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from pathlib import Path

from papiermappe.assembly.cutting import FoundPage, cut_documents
from papiermappe.assembly.errors import FileThere, NothingToAssemble
from papiermappe.assembly.kept import PageFolder
from papiermappe.assembly.pairs import PairedPages
from papiermappe.assembly.reporting import page_report
from papiermappe.assembly.request import (
    AssemblyRequest,
    CutRequest,
    PageReport,
    PairsReport,
    PartReport,
    Report,
    format_of,
)
from papiermappe.assembly.slip import write_slip
from papiermappe.assembly.source import SourcePage
from papiermappe.assembly.supply import Supply
from papiermappe.assembly.writing import Writer
from papiermappe.compute import Compute
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import SlipPlace
from papiermappe.core.naming.names import name_part
from papiermappe.core.pages import PageForm
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.proposal import Proposals
from papiermappe.core.reading.proposals import proposals_of
from papiermappe.core.treatment import page_size_mm
from papiermappe.making.document import MadePage, make_pages
from papiermappe.making.fitting import Written, fitted
from papiermappe.recognition.model import Recogniser

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
        self._step = step
        self._now = now
        self._supply = Supply(request, compute, recogniser, step)
        self._writer = Writer(request, now)
        self._reports: list[PageReport] = []
        self._pairs = PairsReport()
        self._proposals: Proposals | None = None
        self._parts: list[PartReport] | None = None if request.cut is None else []

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
            causes = [message.model_dump(mode="json") for message in self._supply.left_out]
            raise NothingToAssemble("nothing_to_assemble", causes=causes)
        return Report(
            out=tuple(str(file) for file in written),
            proposals=self._proposals,
            parts=self._parts,
            pages=tuple(self._reports),
            byte_size=sum(file.stat().st_size for file in written),
            level=self._request.level,
            misfits=tuple(self._supply.treatments.misfits),
            left_out=tuple(self._supply.left_out),
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
        subject = (self._parts[-1].name if self._parts else "") or self._request.options.title
        files = self._writer.write(out, subject, first, pages)
        if self._writer.names_by_rule and self._parts:
            self._parts[-1] = self._parts[-1].model_copy(update={"file": str(files[0])})
        if self._request.options.slip is SlipPlace.BESIDE:
            write_slip(files, self._reports[before:], self._now, self._request.replaces)
        return files

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
        if there is not None and not self._request.replaces and not self._writer.names_by_rule:
            raise FileThere("file_there", file=str(there))
        for file, document in zip(files, documents, strict=True):
            self._parts.append(document.report(str(file)))
            yield file, (kept.whole() for kept in document.pages)

    def _known(self, folder: PageFolder, page: SourcePage, wanted: CutRequest) -> FoundPage | None:
        """Keep a page, with what cuts are found by; None where it cannot be decoded."""
        analysis = self._supply.found_on(page)
        if analysis is None:
            return None
        head = page.capture.head()
        size_mm = page_size_mm(head.width_px, head.height_px, page.capture.dpi, analysis.treatment)
        printed = self._supply.printed(page, analysis) if wanted.needs_text else None
        return FoundPage(folder.keep(page), analysis, printed, *size_mm)

    def _sources(self, folder: PageFolder) -> Iterator[SourcePage]:
        """Yield the pages in their order, once it is known what is done to them."""
        pages = self._in_order(folder)
        if not self._supply.treatments.are_of_all_pages:
            yield from pages
            return
        kept = [folder.keep(page) for page in pages if self._supply.found_on(page)]
        yield from (one.whole() for one in self._supply.treatments.all_of(kept, self._is_back))

    def _is_back(self, page: SourcePage) -> bool:
        """Whether a page is a back: of a file of backs, or every second one of a file."""
        return page.file in self._request.backs if self._request.backs else page.number % 2 == 0

    def _in_order(self, folder: PageFolder) -> Iterator[SourcePage]:
        request = self._request
        if not request.backs:
            yield from self._supply.pages_of(request.sources)
            return
        paired = PairedPages(folder, self._supply.found_on, self._compute)
        pages, self._pairs = paired.put_together(
            self._supply.pages_of(request.fronts), self._supply.pages_of(request.backs), request.backs_lie
        )
        yield from pages

    def _made(
        self, sources: Iterable[SourcePage], levels: Sequence[Level] | None = None
    ) -> Iterator[MadePage[SourcePage]]:
        request = self._request
        mode = request.mode if request.languages else None
        form = PageForm(format_of(request.out), request.level, mode, request.dpi, request.options.tiff)
        return make_pages(sources, self._supply, form, self._compute, levels=levels)

    def _within_limit(
        self, out: Path, sources: Iterable[SourcePage], folder: PageFolder
    ) -> Iterator[MadePage[SourcePage]]:
        """Return the pages of a document, made so that it is no larger than the limit."""
        limit_bytes = self._request.options.limit_bytes or 0
        kept = [folder.keep(page) for page in sources if self._supply.found_on(page)]
        fitting: dict[tuple[Level, ...], list[MadePage[SourcePage]]] = {}

        def write(levels: Sequence[Level]) -> Written:
            made = list(self._made((page.whole() for page in kept), levels))
            byte_size = self._writer.size_of(out, made)
            if byte_size <= limit_bytes:
                fitting[tuple(levels)] = made
            return Written(byte_size, [page.byte_size or 0 for page in made], levels)

        if not kept:
            return iter(())
        chosen = fitted(write, len(kept), self._request.level, limit_bytes)
        return iter(fitting[tuple(chosen.levels)])

    def _reported(self, pages: Iterator[MadePage[SourcePage]]) -> Iterator[MadePage[SourcePage]]:
        """Yield pages and add each to the report."""
        for made in pages:
            self._step()
            self._reports.append(page_report(made, self._supply, self._request.colours))
            self._supply.forget(made.item)
            yield made


def _stems(stem: str, names: Sequence[str]) -> list[str]:
    """Return the names of documents' files without their endings: numbered, with their own names behind."""
    digits = max(2, len(str(len(names))))
    numbered = (f"{stem}-{number:0{digits}}" for number in range(1, len(names) + 1))
    return ["_".join(filter(None, (start, name_part(name)))) for start, name in zip(numbered, names, strict=True)]
