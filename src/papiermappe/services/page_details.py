"""Everything that is known about one page."""

from collections.abc import Collection, Mapping

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.geometry import Quad
from papiermappe.core.page_box import PageBox
from papiermappe.core.treatment import Treatment, flat_size_mm, page_box, page_size_mm
from papiermappe.core.zones import Zone, ZoneKind
from papiermappe.message import Message
from papiermappe.services.caller import Caller, visible_page
from papiermappe.services.page_views import PageView, page_view
from papiermappe.services.page_warnings import NO_WARNING, message_of
from papiermappe.services.pages import (
    analysis_of,
    analysis_of_sheet,
    page_state,
    printed_on_page,
    size_mm_of,
    treatment_of,
)
from papiermappe.store.database import Store
from papiermappe.store.models import Page, Run


class FindingView(BaseModel):
    """What the machine noticed on a page."""

    message: Message
    zone: Zone | None
    """Where on the page, however it lies by now; None: everywhere, or it cannot be told."""
    is_warning: bool
    accepted: bool
    """Whether a person has said that it is fine."""


class FrameView(BaseModel):
    """The part of a scan that becomes the page, before its quarter turns."""

    centre_x_mm: float
    centre_y_mm: float
    width_mm: float
    height_mm: float
    skew_deg: float


class SidesView(BaseModel):
    """How far the sides of the sheet that was found lie outside of those of the page, in mm, as the page is seen."""

    left: float
    top: float
    right: float
    bottom: float


class ZoneView(BaseModel):
    """A zone that is cleared or marked on a page, or outside which all is cleared."""

    name: str
    kind: ZoneKind
    corners: list[tuple[float, float]]
    """On the page as it is seen, in mm."""
    text: str
    """Of a note."""
    pages: list[int]
    """All pages of the Mappe that have it."""


class PageDetail(BaseModel):
    """Everything that is known about one page."""

    page: PageView
    treatment: Treatment
    colour: ColourKind | None
    """What its picture needs, as it was judged; None before it was examined."""
    findings: list[FindingView]
    scan_width_mm: float
    scan_height_mm: float
    frame: FrameView
    sheet_corners: Quad
    """On its scan: those by which it is made flat; else those that were found on a photo, or those of its frame."""
    is_sheet_found: bool
    """Whether the machine has found the sheet on a photo for sure."""
    untoned: str
    """Names the picture of the page in the same shape, with light and print as they were scanned, and no zones."""
    is_found_flat: bool
    """Whether it is made flat by the corners that the machine has found."""
    curl_mm: float | None
    """How far it bows where it bows most; None where it lies flat, or that is not known."""
    found_sides: SidesView | None
    """None where no sheet was found."""
    zones: list[ZoneView]
    gutter: list[tuple[float, float]] | None
    """Where it would be split, on the page as it is seen, in mm; None where it is no spread."""
    block: Zone | None
    """What is printed on it, as it is seen; None where nothing is."""
    run: int
    """Its number in its Mappe."""
    sheet: int | None
    file_name: str | None
    title: str
    """As printed on it; empty where it has none, or has not been read."""


def page_detail(caller: Caller, store: Store, page_id: int) -> PageDetail:
    """Return everything that is known about a page. Raises NotFound."""
    with store.begin() as session:
        page = visible_page(caller, session, page_id)
        capture, treatment, analysis = page.capture, treatment_of(page), analysis_of(page)
        number = session.scalar(select(Run.number).where(Run.id == capture.run_id))
        printed, gutter = printed_on_page(page), page_state(page, with_capture=True).gutter
        holders = _zone_holders(session, page.mappe_id) if treatment.zones else {}
        of_sheet = analysis_of_sheet(page)
    scan_mm = page_size_mm(capture.width_px, capture.height_px, capture.dpi, Treatment())
    flat_mm = flat_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment)
    frame = page_box(*flat_mm, treatment)
    guess = analysis.photo_sheet if analysis else None
    return PageDetail(
        page=page_view(page, size_mm_of(page, treatment), treatment, analysis),
        treatment=treatment,
        colour=analysis.colour if analysis else None,
        findings=_findings(treatment, analysis, flat_mm, page.accepted) if analysis else [],
        scan_width_mm=round(scan_mm[0], 1),
        scan_height_mm=round(scan_mm[1], 1),
        frame=FrameView(**frame._asdict()),
        sheet_corners=treatment.corners or (guess.corners if guess else frame.corners),
        is_sheet_found=guess is not None and guess.is_sure,
        untoned=treatment.shape_only.picture_key(page.capture.sha256),
        is_found_flat=treatment.corners is not None and of_sheet is not None,
        curl_mm=treatment.curl.largest_mm if treatment.curl and treatment.corners else None,
        found_sides=_found_sides(of_sheet, flat_mm, frame, treatment.quarter_turns) if of_sheet else None,
        zones=_zone_views(page_id, treatment, frame, holders),
        gutter=frame.on_page(gutter, treatment.quarter_turns).round(2).tolist() if gutter else None,
        block=_block(of_sheet, frame, treatment.quarter_turns) if of_sheet else None,
        run=number or 0,
        sheet=capture.sheet,
        file_name=capture.file_name,
        title=printed.title if printed else "",
    )


def _found_sides(
    analysis: Analysis, flat_mm: tuple[float, float], frame: PageBox, quarter_turns: int
) -> SidesView | None:
    if analysis.treatment.sheet is None:
        return None
    corners = frame.on_page(page_box(*flat_mm, analysis.treatment).corners, quarter_turns)
    width_mm, height_mm = frame.size_mm(quarter_turns)
    (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
    outwards = {"left": -left, "top": -top, "right": right - width_mm, "bottom": bottom - height_mm}
    return SidesView(**{side: round(float(mm), 1) for side, mm in outwards.items()})


def _block(analysis: Analysis, frame: PageBox, quarter_turns: int) -> Zone | None:
    printed = analysis.printed_area
    return _box_round(frame.on_page(printed, quarter_turns)) if printed else None


def _zone_views(page_id: int, treatment: Treatment, frame: PageBox, holders: Mapping[str, list[int]]) -> list[ZoneView]:
    return [
        ZoneView(
            name=zone.name,
            kind=zone.kind,
            text=zone.text,
            corners=[(x, y) for x, y in frame.on_page(zone.corners, treatment.quarter_turns).round(2).tolist()],
            pages=holders.get(zone.name, [page_id]),
        )
        for zone in treatment.zones
    ]


def _zone_holders(session: Session, mappe_id: int | None) -> dict[str, list[int]]:
    """Return by name the pages of a Mappe that have each zone."""
    zones = Page.treatment["zones"]
    having = select(Page.id, zones).where(Page.mappe_id == mappe_id, func.jsonb_array_length(zones) > 0)
    having = having.order_by(Page.rank, Page.side.desc())  # a front before its back
    holders: dict[str, list[int]] = {}
    for page_id, own in session.execute(having):
        for zone in own:
            holders.setdefault(zone["name"], []).append(page_id)
    return holders


def _findings(
    treatment: Treatment, analysis: Analysis, flat_mm: tuple[float, float], accepted: Collection[str]
) -> list[FindingView]:
    then, now = analysis.treatment, treatment
    can_tell = then.part == now.part and then.corners == now.corners
    before, after = page_box(*flat_mm, then), page_box(*flat_mm, now)

    def placed(zone: Zone) -> Zone:
        """Return the box round a place of the page as it was analysed, on the page as it is now."""
        return _box_round(after.on_page(before.on_sheet(zone.corners(), then.quarter_turns), now.quarter_turns))

    return [
        FindingView(
            message=message_of(finding),
            zone=placed(finding.zone) if finding.zone and can_tell else None,
            is_warning=finding.kind not in NO_WARNING,
            accepted=f"finding_{finding.kind}" in accepted,
        )
        for finding in analysis.findings_told(treatment)
    ]


def _box_round(corners: NDArray[np.float64]) -> Zone:
    """Return the upright box round places of a page."""
    (left, top), (right, bottom) = corners.min(axis=0).round(2).tolist(), corners.max(axis=0).round(2).tolist()
    return Zone(x_mm=left, y_mm=top, width_mm=max(right - left, 0.01), height_mm=max(bottom - top, 0.01))
