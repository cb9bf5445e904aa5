"""Pages cut into documents before they are assembled."""

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from papiermappe.assembly.kept import KeptPage
from papiermappe.assembly.request import CutRequest, PartReport, PlaceInFile
from papiermappe.core.analysis import Analysis
from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.cuts import propose_cuts
from papiermappe.core.order.dividers import CodeUse, meaning_of
from papiermappe.core.reading.printed import Printed


class FoundPage(NamedTuple):
    """A page that is kept, and what is known of it."""

    kept: KeptPage
    analysis: Analysis
    printed: Printed | None
    width_mm: float
    height_mm: float

    def facts(self) -> PageFacts:
        """Return what cuts are found by."""
        meaning = meaning_of(self.analysis.codes)
        return PageFacts(self.width_mm, self.height_mm, self.analysis.is_blank, self.printed, meaning)


class CutDocument(NamedTuple):
    """A document, and its pages."""

    name: str
    """Empty where none is known."""
    pages: list[KeptPage]

    def report(self, file: str) -> PartReport:
        """Return what is said of it, given the file that it is in."""
        pages = [PlaceInFile(file=str(kept.page.file), page=kept.page.number) for kept in self.pages]
        return PartReport(name=self.name, file=file, pages=pages)


def cut_documents(pages: Iterable[FoundPage], wanted: CutRequest) -> list[CutDocument]:
    """Return the documents that pages fall into, without what only divides them."""
    sheets = list(_sheets(pages))
    found = propose_cuts([[page.facts() for page in sheet] for sheet in sheets], wanted.rule, wanted.every)
    names = {cut.sheet: cut.name for cut in found.cuts}
    aside = set(found.aside)
    documents: list[CutDocument] = []
    for at, sheet in enumerate(sheets):
        if at in aside:
            continue
        if at in names:
            documents.append(CutDocument(names[at], []))
        documents[-1].pages.extend(page.kept for page in sheet)
    return documents


def _sheets(pages: Iterable[FoundPage]) -> Iterator[Sequence[FoundPage]]:
    """Yield the pages of each sheet: as fronts and backs were paired, or else each by itself.

    A page with nothing on it behind a divider is the divider's back.
    """
    sheet: list[FoundPage] = []
    for page in pages:
        if sheet and not _same_sheet(sheet, page):
            yield sheet
            sheet = []
        sheet.append(page)
    if sheet:
        yield sheet


def _same_sheet(sheet: Sequence[FoundPage], page: FoundPage) -> bool:
    number = page.kept.page.sheet
    if number is not None:
        return sheet[0].kept.page.sheet == number
    return len(sheet) == 1 and _is_divider(sheet[0]) and page.analysis.is_blank


def _is_divider(page: FoundPage) -> bool:
    meaning = meaning_of(page.analysis.codes)
    return meaning is not None and meaning.use is CodeUse.DIVIDER
