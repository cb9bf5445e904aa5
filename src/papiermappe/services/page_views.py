"""Pages as the lanes show them."""

from enum import StrEnum
from typing import NamedTuple

from papiermappe.core.analysis import Analysis
from papiermappe.core.treatment import SURE, Origin, Treatment
from papiermappe.message import Message
from papiermappe.services.page_warnings import unaccepted, warnings_of
from papiermappe.services.pages import (
    analysis_of,
    page_facts,
    shown_size_mm,
    size_mm_of,
    treatment_of,
)
from papiermappe.services.places import PagePlace
from papiermappe.services.printed import PrintedPage
from papiermappe.store.models import Page


class SpreadKind(StrEnum):
    """How well it is known that a page is two, and where they meet."""

    SURE = "sure"
    UNSURE = "unsure"
    BY_HAND = "by_hand"


class PageView(PagePlace):
    """A page as the lanes show it."""

    picture: str
    """Names the picture of the page as treated."""
    scan: int
    """Names its untouched scan."""
    width_mm: float
    height_mm: float
    dpi: float
    """Of the scan."""
    byte_size: int
    """Of the scan."""
    analysed: bool
    blank: bool
    spread: SpreadKind | None
    """Whether it can be split into two pages; None where it is no spread."""
    warnings: list[Message]
    """What a person should check; empty where all is well."""


class PageRow(NamedTuple):
    """A page for windows, and for what is told of all pages together."""

    view: PageView
    printed: PrintedPage

    def laid(self, place: PagePlace) -> "PageRow":
        """Return the page as it lies now."""
        if place.revision == self.view.revision:
            return self
        return PageRow(self.view.model_copy(update=dict(place)), self.printed._replace(**place.printed_place))


def page_row(page: Page) -> PageRow:
    """Return a page as windows show it."""
    treatment, analysis = treatment_of(page), analysis_of(page)
    size_mm = size_mm_of(page, treatment)
    view = page_view(page, size_mm, treatment, analysis)
    printed = PrintedPage(
        id=page.id,
        rank=page.rank,
        side=page.side,
        set_aside=page.set_aside,
        begins=page.begins is not None,
        to_upright=_to_upright(treatment, analysis) if analysis else 0,
        facts=page_facts(page, size_mm, analysis),
    )
    return PageRow(view, printed)


def _to_upright(treatment: Treatment, analysis: Analysis) -> int:
    """Return the turns that set a page upright; 0 where the machine is not sure of any, or a person has turned it."""
    if analysis.turn_confidence < SURE or analysis.is_blank or treatment.turn_origin is Origin.BY_HAND:
        return 0
    return (analysis.treatment.quarter_turns - treatment.quarter_turns) % 4


def page_view(page: Page, size_mm: tuple[float, float], treatment: Treatment, analysis: Analysis | None) -> PageView:
    """Return a page as the lanes show it."""
    capture = page.capture
    width_mm, height_mm = shown_size_mm(size_mm)
    return PageView(
        id=page.id,
        revision=page.revision,
        rank=str(page.rank),
        side=page.side,
        set_aside=page.set_aside,
        begins=page.begins,
        picture=treatment.picture_key(capture.sha256),
        scan=capture.id,
        width_mm=width_mm,
        height_mm=height_mm,
        dpi=capture.dpi,
        byte_size=capture.byte_size,
        analysed=analysis is not None,
        blank=analysis is not None and analysis.is_blank,
        spread=_spread_kind(treatment, analysis),
        warnings=unaccepted(warnings_of(treatment, analysis), page.accepted) if analysis else [],
    )


def _spread_kind(treatment: Treatment, analysis: Analysis | None) -> SpreadKind | None:
    if treatment.part is not None:
        return None
    if treatment.gutter is not None:
        return SpreadKind.BY_HAND
    if analysis is None or analysis.spread is None or analysis.treatment.corners != treatment.corners:
        return None
    return SpreadKind.SURE if analysis.spread.confidence >= SURE else SpreadKind.UNSURE
