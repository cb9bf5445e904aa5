"""Pages as rows, and as the values that the core works on."""

from collections.abc import Sequence

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from papiermappe.core.analysis import Analysis
from papiermappe.core.operations import PageState
from papiermappe.core.order.cut_evidence import PageFacts
from papiermappe.core.order.dividers import CodeRule, meaning_of
from papiermappe.core.order.numbers import numbers_of
from papiermappe.core.order.places import Side
from papiermappe.core.reading.printed import Printed
from papiermappe.core.treatment import CaptureSize, Treatment, flat_size_mm, page_size_mm
from papiermappe.store.models import Capture, IncomingFile, Page


def pages_of(session: Session, mappe_id: int) -> list[Page]:
    """Return all pages of a Mappe, set aside or not, in reading order."""
    pages = session.scalars(select(Page).where(Page.mappe_id == mappe_id)).all()
    return sorted(pages, key=lambda page: (page.rank, page.side is Side.BACK))


def in_turn(brought: Select[Page]) -> Select[Page]:
    """Order pages, selected with their captures, as they came: sheet by sheet, or file by file, page by page."""
    of_file = (IncomingFile.run_id == Capture.run_id) & (IncomingFile.name == Capture.file_name)
    places = IncomingFile.number, Capture.file_page, Capture.sheet, Capture.id
    return brought.outerjoin(IncomingFile, of_file).order_by(*places)


def treatment_of(page: Page) -> Treatment:
    """Return a page's treatment."""
    return Treatment.model_validate(page.treatment)


def analysis_of(page: Page) -> Analysis | None:
    """Return what the machine found on a page; None until it has been analysed."""
    return Analysis.model_validate(page.analysis) if page.analysis else None


def analysis_of_sheet(page: Page) -> Analysis | None:
    """Return what the machine found on a page whose places can be told: None also once it was made flat by hand."""
    analysis = analysis_of(page)
    return analysis if analysis and analysis.treatment.corners == treatment_of(page).corners else None


def capture_size(capture: Capture) -> CaptureSize:
    """Return how large a capture is."""
    return CaptureSize(capture.width_px, capture.height_px, capture.dpi)


def printed_on_page(page: Page) -> Printed | None:
    """Return what was read on a page; None until it has been read."""
    return Printed.model_validate(page.printed) if page.printed else None


def is_blank(page: Page) -> bool:
    """Whether the machine found nothing on a page."""
    analysis = analysis_of(page)
    return analysis is not None and analysis.is_blank


def picture_name(page: Page) -> str:
    """Return the name of the picture of a page with its current treatment."""
    return treatment_of(page).picture_key(page.capture.sha256)


def page_state(
    page: Page,
    number: int | None = None,
    *,
    blank: bool = False,
    with_capture: bool = False,
    with_treatment: bool = True,
) -> PageState:
    """Return a page as operations see it; what is left out need not have been loaded."""
    capture = page.capture if with_capture else None
    analysis = analysis_of_sheet(page) if with_capture else None
    return PageState(
        id=page.id,
        mappe_id=page.mappe_id,
        rank=page.rank,
        side=page.side,
        set_aside=page.set_aside,
        stored_treatment=page.treatment if with_treatment else {},
        capture_id=page.capture_id,
        number=number,
        blank=blank,
        file=(capture.file_name, capture.file_page or 1) if capture and capture.file_name else None,
        begins=page.begins,
        accepted=tuple(page.accepted),
        scan_mm=_scan_mm(capture, page) if capture else (0.0, 0.0),
        capture_size=capture_size(capture) if capture else None,
        printed_area=analysis.printed_area if analysis else None,
        dark_rims=analysis.dark_rims if analysis else (),
        found_gutter=analysis.spread.gutter if analysis and analysis.spread else None,
        gutter_confidence=analysis.spread.confidence if analysis and analysis.spread else 0.0,
        stored_found=page.analysis["treatment"] if with_capture and page.analysis else None,
    )


def _scan_mm(capture: Capture, page: Page) -> tuple[float, float]:
    return flat_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment_of(page))


def page_states(pages: Sequence[Page]) -> list[PageState]:
    """Return all pages of Mappen as operations see them, with their printed numbers."""
    lying = [page for page in pages if not page.set_aside]
    numbers = dict(zip((page.id for page in lying), numbers_of(list(map(printed_on_page, lying))), strict=True))
    states = []
    for page in pages:
        number = numbers.get(page.id)
        states.append(page_state(page, number, blank=number is None and is_blank(page)))
    return states


def size_mm_of(page: Page, treatment: Treatment) -> tuple[float, float]:
    """Return width and height of a page that is treated in some way."""
    return page_size_mm(page.capture.width_px, page.capture.height_px, page.capture.dpi, treatment)


def shown_size_mm(size_mm: tuple[float, float]) -> tuple[float, float]:
    """Return width and height as windows are told them."""
    return round(size_mm[0], 1), round(size_mm[1], 1)


def page_facts(
    page: Page, size_mm: tuple[float, float], analysis: Analysis | None, rules: Sequence[CodeRule] = ()
) -> PageFacts:
    """Return what is known of a page that tells where documents begin.

    Args:
        page: in question.
        size_mm: its width and height.
        analysis: of it, as it has been read already.
        rules: which codes count beside our own.
    """
    return PageFacts(
        width_mm=size_mm[0],
        height_mm=size_mm[1],
        blank=analysis is not None and analysis.is_blank,
        printed=printed_on_page(page),
        meaning=meaning_of(analysis.codes, rules) if analysis else None,
    )
