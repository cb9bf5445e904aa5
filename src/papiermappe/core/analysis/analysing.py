"""Finding everything on a capture, in order: the sheet, how it stands, the page that follows, and what is on that."""

import cv2
import numpy as np

from papiermappe.core.analysis.found import Analysis, SpreadFound
from papiermappe.core.analysis.sheet_in_view import SheetInView, sheet_in_view
from papiermappe.core.analysis.stance import Stance, stance_of, view_on_sheet
from papiermappe.core.clean.blank import judge_blank
from papiermappe.core.clean.clearing import clear
from papiermappe.core.clean.colour import ColourKind, judge_colour
from papiermappe.core.clean.dark_rims import find_dark_rims
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.margins import find_text_block
from papiermappe.core.clean.quality import judge_quality
from papiermappe.core.clean.spread import Spread, find_spread
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import Point, Quad, mm_to_px, px_to_mm
from papiermappe.core.order.code_reading import read_codes
from papiermappe.core.page_box import PageBox
from papiermappe.core.photo import judge_photo
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.picture import CapturedPicture, Pixels, shrunk, to_grey, turned
from papiermappe.core.treatment import (
    PAPER_WHITE,
    SURE,
    Cropping,
    Part,
    Straightening,
    Treatment,
    cleared_areas,
    page_box,
)

COLOUR_REDUCTION = 2  # half the resolution is enough to see colour
OF_SCANNERS = {FindingKind.DUST_LINE, FindingKind.DOUBLED}  # no camera has dust in its way, or a feeder


def analyse(
    capture: CapturedPicture,
    upright: TurnEstimate | None = None,
    usual_height_mm: float | None = None,
    part: Part | None = None,
    known: KnownSheet | None = None,
    *,
    bends: bool = True,
) -> Analysis:
    """Find the sheet, the skew and the way up, and judge the resulting page.

    Args:
        capture: the untouched picture.
        upright: how the page must be turned, if known; otherwise it is found here.
        usual_height_mm: of the pages that arrived with it, if known.
        part: the page of a spread that is looked at, where it is no more than that.
        known: the sheet on a photo, where that is known better than it would be found.
        bends: whether the sheet on a photo may bend.

    Raises:
        PictureRefused: the capture cannot be decoded.
    """
    sheet = sheet_in_view(capture, upright, part, known, bends=bends)
    grey = to_grey(sheet.pixels)
    is_cut_out = sheet.frame.confidence > 0 or part is not None
    on_sheet = view_on_sheet(grey, sheet.dpi, sheet.frame.corners) if is_cut_out else View(grey, sheet.dpi)
    stance = stance_of(sheet, on_sheet, upright)
    treatment = _treatment(sheet, stance, part)
    page = View(_page(grey, sheet.dpi, treatment), sheet.dpi)
    spread = None if part else find_spread(page.grey, sheet.dpi)
    if spread is not None and sheet.curl is not None and sheet.curl.on:  # an open book: its pages bend each by itself
        return analyse(capture, upright, usual_height_mm, part, known, bends=False)
    return Analysis(
        treatment=treatment,
        findings=tuple(_findings(sheet, page, treatment, usual_height_mm, capture.dpi)),
        colour=_colour(sheet, treatment),
        turn_confidence=stance.turn.confidence,
        has_letters=stance.turn.has_letters,
        codes=tuple(read_codes(on_sheet.grey if part else grey, sheet.dpi)),
        spread=_on_capture(spread, sheet, treatment) if spread else None,
        printed_area=_printed_area(page, sheet, treatment),
        dark_rims=() if capture.by_camera else tuple(find_dark_rims(grey, sheet.dpi)),
        photo_sheet=sheet.found_on_photo,
    )


def _treatment(sheet: SheetInView, stance: Stance, part: Part | None) -> Treatment:
    """Return the treatment that follows from how a sheet lies and stands."""
    skew, frame = stance.skew, sheet.frame
    is_straightened = skew.confidence >= SURE and not sheet.waits_for_corners
    return Treatment(
        part=part,
        corners=sheet.corners,
        curl=sheet.curl,
        straighten=Straightening(skew_deg=round(skew.skew_deg, 3), confidence=skew.confidence, on=is_straightened),
        crop=Cropping(corners=frame.corners, confidence=frame.confidence, on=frame.confidence >= SURE),
        quarter_turns=stance.quarter_turns,
    )


def _page(pixels: Pixels, dpi: float, treatment: Treatment) -> Pixels:
    """Return the page that the treatment makes, at the resolution of `pixels`; for analysis, not for display."""
    box = _box(pixels.shape, dpi, treatment)
    size_px = max(1, round(mm_to_px(box.height_mm, dpi))), max(1, round(mm_to_px(box.width_mm, dpi)))
    turn = cv2.getRotationMatrix2D((0, 0), box.skew_deg, 1.0)
    centre = np.array([mm_to_px(box.centre_x_mm, dpi) - 0.5, mm_to_px(box.centre_y_mm, dpi) - 0.5])
    turn[:, 2] = centre - turn[:, :2] @ np.array([(size_px[1] - 1) / 2, (size_px[0] - 1) / 2])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    page = cv2.warpAffine(pixels, turn, size_px[::-1], flags=flags, borderValue=(PAPER_WHITE,) * 3)
    upright = turned(np.asarray(page, np.uint8), treatment.quarter_turns)
    return clear(upright, cleared_areas(treatment, box), dpi) if treatment.part else upright


def _box(shape: tuple[int, ...], dpi: float, treatment: Treatment) -> PageBox:
    return page_box(px_to_mm(shape[1], dpi), px_to_mm(shape[0], dpi), treatment)


def _findings(
    sheet: SheetInView, page: View, treatment: Treatment, usual_height_mm: float | None, capture_dpi: float
) -> list[Finding]:
    """Return what a person should look at on the page, and on the photo that it comes from."""
    blank = judge_blank(page, page.dpi)
    if blank.is_blank:
        findings = [Finding(kind=FindingKind.BLANK, confidence=blank.confidence)]
    else:
        findings = judge_quality(page, page.dpi, usual_height_mm, treatment.skew_deg)
    if not sheet.is_made_flat:
        return findings
    kinds = {finding.kind for finding in findings}
    of_photo = judge_photo(_page(sheet.pixels, sheet.dpi, treatment), page, capture_dpi)
    return [
        *(finding for finding in findings if finding.kind not in OF_SCANNERS),
        *(finding for finding in of_photo if finding.kind not in kinds),
    ]


def _colour(sheet: SheetInView, treatment: Treatment) -> ColourKind:
    small, dpi = shrunk(sheet.pixels, COLOUR_REDUCTION), sheet.dpi / COLOUR_REDUCTION
    return judge_colour(View(_page(small, dpi, treatment), dpi), sheet.dpi).kind


def _printed_area(page: View, sheet: SheetInView, treatment: Treatment) -> Quad | None:
    block = find_text_block(page, page.dpi)
    if block is None:
        return None
    left, top, right, bottom = block
    box = _box(sheet.pixels.shape, page.dpi, treatment)
    corners = box.on_sheet([(left, top), (right, top), (right, bottom), (left, bottom)], treatment.quarter_turns)
    first, second, third, fourth = (_rounded(float(x_mm), float(y_mm)) for x_mm, y_mm in corners)
    return first, second, third, fourth


def _on_capture(spread: Spread, sheet: SheetInView, treatment: Treatment) -> SpreadFound:
    line = _box(sheet.pixels.shape, sheet.dpi, treatment).on_sheet(spread.gutter, treatment.quarter_turns)
    gutter = tuple(_rounded(float(x_mm), float(y_mm)) for x_mm, y_mm in line)
    return SpreadFound(gutter=gutter, confidence=round(spread.confidence, 3))


def _rounded(x_mm: float, y_mm: float) -> Point:
    return round(x_mm, 2), round(y_mm, 2)
