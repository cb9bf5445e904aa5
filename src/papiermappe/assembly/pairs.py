"""Fronts and backs from different files, put together before they are assembled."""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from papiermappe.assembly.kept import KeptPage, PageFolder
from papiermappe.assembly.request import PairReport, PairsReport, PlaceInFile
from papiermappe.assembly.source import SourcePage
from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis
from papiermappe.core.order.alignment import Step
from papiermappe.core.order.evidence import SideFacts
from papiermappe.core.order.imprint import Imprint
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.pairing import Proposal, propose
from papiermappe.core.pages import as_compared, capture_imprint
from papiermappe.core.reading.printed import printed_on
from papiermappe.core.treatment import page_size_mm


class _Side(NamedTuple):
    kept: KeptPage
    facts: SideFacts


class PairedPages:
    """Pages of fronts and backs in the order of their sheets.

    Args:
        folder: where they are kept meanwhile.
        analyse: finds what is on a page.
        compute: runs what takes long.
    """

    def __init__(self, folder: PageFolder, analyse: Callable[[SourcePage], Analysis | None], compute: Compute) -> None:
        self._folder = folder
        self._analyse = analyse
        self._compute = compute

    def put_together(
        self, fronts: Iterator[SourcePage], backs: Iterator[SourcePage], order: BacksOrder | None
    ) -> tuple[Iterator[SourcePage], PairsReport]:
        """Return the pages in the order of their sheets, and what was found."""
        sides = [[kept for page in pages if (kept := self._kept(page))] for pages in (fronts, backs)]
        proposal = propose([kept.facts for kept in sides[0]], [kept.facts for kept in sides[1]], order)
        return self._in_order(proposal, sides), _report(proposal, sides)

    def _kept(self, page: SourcePage) -> _Side | None:
        """Keep a page in the folder; None where it cannot be decoded."""
        analysis = self._analyse(page)
        if analysis is None:
            return None
        capture, treatment = page.capture, analysis.treatment
        head = capture.head()
        imprint = Imprint.from_bytes(self._compute(capture_imprint, capture, treatment))
        size_mm = page_size_mm(head.width_px, head.height_px, capture.dpi, as_compared(treatment))
        numbers = printed_on(capture.text).numbers if capture.text else ()
        facts = SideFacts(*size_mm, imprint, tuple(dict.fromkeys(number.number for number in numbers)))
        return _Side(self._folder.keep(page), facts)

    def _in_order(self, proposal: Proposal, sides: Sequence[Sequence[_Side]]) -> Iterator[SourcePage]:
        for number, sheet in enumerate(proposal.sheets):
            if sheet.step in {Step.FRONT_TWICE, Step.BACK_TWICE}:
                continue
            for side, at in zip(sides, (sheet.front, sheet.back), strict=True):
                if at is not None:
                    yield side[at].kept.whole()._replace(sheet=number)


def _report(proposal: Proposal, sides: Sequence[Sequence[_Side]]) -> PairsReport:
    def place(side: Sequence[_Side], at: int | None) -> PlaceInFile | None:
        page = None if at is None else side[at].kept.page
        return None if page is None else PlaceInFile(file=str(page.file), page=page.number)

    placed = [(sheet, place(sides[0], sheet.front), place(sides[1], sheet.back)) for sheet in proposal.sheets]
    alone = {Step.FRONT_ALONE, Step.BACK_ALONE}
    twice = {Step.FRONT_TWICE, Step.BACK_TWICE}
    return PairsReport(
        pairs=[
            PairReport(
                front=front,
                back=back,
                evidence=[kind.value for kind in sheet.evidence],
                confidence=round(sheet.confidence, 4),
            )
            for sheet, front, back in placed
            if sheet.step not in twice
        ],
        backs_lie=proposal.backs_order,
        missing=[page for sheet, front, back in placed if sheet.step in alone and (page := front or back)],
        doubled=[page for sheet, front, back in placed if sheet.step in twice and (page := front or back)],
        sure=proposal.sure,
    )
