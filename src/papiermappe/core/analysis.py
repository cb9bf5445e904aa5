"""What is found on a capture when it arrives, and the treatment that follows from it."""

import math

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict

from papiermappe.core.clean.blank import judge_blank
from papiermappe.core.clean.clearing import clear
from papiermappe.core.clean.colour import ColourKind, judge_colour
from papiermappe.core.clean.dark_rims import find_dark_rims
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.margins import find_text_block
from papiermappe.core.clean.quality import judge_quality
from papiermappe.core.clean.sheet import find_sheet
from papiermappe.core.clean.sheet_frame import SheetFrame, whole_frame
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew
from papiermappe.core.clean.spread import Spread, find_spread
from papiermappe.core.clean.upright import TurnEstimate, find_upright
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm
from papiermappe.core.halves import GutterLine, half_of
from papiermappe.core.order.code_reading import read_codes
from papiermappe.core.order.codes import PageCode
from papiermappe.core.photo import find_corners, judge_photo
from papiermappe.core.photo_flattening import made_flat, placed_sheet
from papiermappe.core.photo_sheet import KnownSheet, PhotoSheet
from papiermappe.core.picture import CapturedPicture, Pixels, shrunk, to_grey, turned
from papiermappe.core.treatment import (
    PAPER_WHITE,
    SURE,
    Cropping,
    Part,
    Straightening,
    Treatment,
    cleared_areas,
    decoded_reduction,
    page_box,
)

COLOUR_REDUCTION = 2  # half the resolution is enough to see colour
LEAST_TURN_DPI = 50.0  # rows of a table are taken for lines of print below that
OF_SCANNERS = {FindingKind.DUST_LINE}  # which no camera has
RIM_MM = 2.0
FLAT_RIM_MM = 0.5  # of a sheet on a photo, where its edge is seen together with the table
EDGES_AGREE_DEG = 1.0
HALVES_AGREE_DEG = 0.2  # of a sheet on a photo: print in both halves of it is turned by about the same
PRINT_ON_PAPER_DEG = 3.0  # whatever is turned further than this against its sheet is probably not print


class SpreadFound(BaseModel):
    """Two pages beside each other, as they were found."""

    model_config = ConfigDict(frozen=True)

    gutter: GutterLine
    confidence: float
    """0 to 1; below 0.5 a person should look first."""


class Analysis(BaseModel):
    """What was found on a capture."""

    model_config = ConfigDict(frozen=True)

    treatment: Treatment
    """What follows from it; what the machine is not sure of is proposed but switched off."""
    findings: tuple[Finding, ...]
    """Their places are on the page that the treatment makes."""
    colour: ColourKind
    turn_confidence: float = 1.0
    """0 to 1: how sure the way up is; below 0.5 the page is left as it lies."""
    codes: tuple[PageCode, ...] = ()
    """That are printed on it."""
    spread: SpreadFound | None = None
    """Where it would be split; None where it is no spread."""
    printed_area: Quad | None = None
    """The corners of its text block, on the capture; None where nothing is printed."""
    dark_rims: tuple[Quad, ...] = ()
    """Outlines of what is dark along its edges and can be wiped, on the capture."""
    photo_sheet: PhotoSheet | None = None
    """Where the sheet lies on a photo; None where the capture is a scan."""

    @property
    def is_blank(self) -> bool:
        """Whether nothing is on the page."""
        return any(finding.kind is FindingKind.BLANK for finding in self.findings)

    @property
    def is_surely_spread(self) -> bool:
        """Whether it is two pages beside each other, without a person having to look."""
        return self.spread is not None and self.spread.confidence >= SURE

    @property
    def way_up_open(self) -> bool:
        """Whether the page has print whose way up is not clear."""
        return self.turn_confidence < SURE and not self.is_blank


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
    reduction = decoded_reduction(capture.dpi)
    pixels, dpi = capture.pixels(reduction), capture.dpi / reduction
    photo_sheet = (capture.sheet or find_corners(pixels).on_capture(dpi)) if capture.by_camera else None
    used = placed_sheet(pixels, dpi, known, upright) if known else photo_sheet
    curl = None
    if used is None:
        frame = find_sheet(pixels, dpi)
    elif used.is_sure:
        pixels, dpi, curl = made_flat(pixels, dpi, used, bends=bends)
        frame = SheetFrame(_within(whole_frame(pixels, dpi).corners, FLAT_RIM_MM), used.confidence)
    else:
        frame = whole_frame(pixels, dpi)._replace(confidence=used.confidence)
    if part is not None:
        frame = _half(frame, part, pixels.shape, dpi)
    grey = to_grey(pixels)
    sheet = View(_on_sheet_only(grey, dpi, frame.corners) if frame.confidence > 0 or part else grey, dpi)
    turn = upright or _upright(sheet)
    turns = turn.quarter_turns if turn.confidence >= SURE else 0
    if turns % 2:  # a dust line that runs along the lines of print would be taken for one of them
        sheet = View(turned(sheet.grey, 1), dpi)
    is_flat_photo = used is not None and used.is_sure
    skew = _skew_of_flat(sheet, frame) if is_flat_photo else _skew(sheet, frame)
    stays = used is not None and not used.is_sure  # a person places the corners first
    treatment = Treatment(
        part=part,
        corners=used.corners if used and used.is_sure else None,
        curl=curl,
        straighten=Straightening(
            skew_deg=round(skew.skew_deg, 3), confidence=skew.confidence, on=skew.confidence >= SURE and not stays
        ),
        crop=Cropping(corners=frame.corners, confidence=frame.confidence, on=frame.confidence >= SURE),
        quarter_turns=turns,
    )
    page = View(_page(grey, dpi, treatment), dpi)
    spread = None if part else find_spread(page.grey, dpi)
    if spread is not None and curl is not None and curl.on:  # an open book: each of its pages bends by itself
        return analyse(capture, upright, usual_height_mm, part, known, bends=False)
    small = shrunk(pixels, COLOUR_REDUCTION)
    findings = _findings(page, treatment.skew_deg, usual_height_mm)
    if treatment.corners is not None:
        kinds = {finding.kind for finding in findings}
        of_photo = judge_photo(_page(pixels, dpi, treatment), page, capture.dpi)
        findings = [finding for finding in findings if finding.kind not in OF_SCANNERS]
        findings += [finding for finding in of_photo if finding.kind not in kinds]
    return Analysis(
        treatment=treatment,
        findings=tuple(findings),
        colour=judge_colour(View(_page(small, dpi / COLOUR_REDUCTION, treatment), dpi / COLOUR_REDUCTION), dpi).kind,
        turn_confidence=turn.confidence,
        codes=tuple(read_codes(sheet.grey if part else grey, dpi)),
        spread=_on_capture(spread, treatment, pixels.shape, dpi) if spread else None,
        printed_area=_printed_area(page, treatment, pixels.shape),
        dark_rims=() if capture.by_camera else tuple(find_dark_rims(grey, dpi)),
        photo_sheet=photo_sheet,
    )


def _upright(sheet: View) -> TurnEstimate:
    """Return how a page must be turned; unsure where its print is too coarse for that to be told."""
    turn = find_upright(sheet, sheet.dpi)
    return turn if sheet.dpi >= LEAST_TURN_DPI else turn._replace(confidence=min(turn.confidence, SURE / 2))


def _within(rectangle: Quad, by_mm: float) -> Quad:
    """Return an upright rectangle that is smaller by so much on each side."""
    (left, top), _, (right, bottom), _ = rectangle
    left, top, right, bottom = left + by_mm, top + by_mm, right - by_mm, bottom - by_mm
    return (left, top), (right, top), (right, bottom), (left, bottom)


def _printed_area(page: View, treatment: Treatment, shape: tuple[int, ...]) -> Quad | None:
    block = find_text_block(page, page.dpi)
    if block is None:
        return None
    left, top, right, bottom = block
    box = page_box(px_to_mm(shape[1], page.dpi), px_to_mm(shape[0], page.dpi), treatment)
    corners = box.on_sheet([(left, top), (right, top), (right, bottom), (left, bottom)], treatment.quarter_turns)
    first, second, third, fourth = ((round(float(x_mm), 2), round(float(y_mm), 2)) for x_mm, y_mm in corners)
    return first, second, third, fourth


def _half(frame: SheetFrame, part: Part, shape: tuple[int, ...], dpi: float) -> SheetFrame:
    """Return the frame of one page of a spread, given that of all of it."""
    height_mm, width_mm = (px_to_mm(side, dpi) for side in shape[:2])
    whole = ((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm))
    half = half_of(frame.corners, part.gutter, part.right) if frame.confidence >= SURE else None
    if half is not None:
        return frame._replace(corners=half)
    return frame._replace(corners=half_of(whole, part.gutter, part.right) or whole, confidence=0.0)


def _on_capture(spread: Spread, treatment: Treatment, shape: tuple[int, ...], dpi: float) -> SpreadFound:
    box = page_box(px_to_mm(shape[1], dpi), px_to_mm(shape[0], dpi), treatment)
    line = box.on_sheet(spread.gutter, treatment.quarter_turns)
    return SpreadFound(
        gutter=tuple((round(float(x_mm), 2), round(float(y_mm), 2)) for x_mm, y_mm in line),
        confidence=round(spread.confidence, 3),
    )


def _findings(page: View, straightened_deg: float, usual_height_mm: float | None) -> list[Finding]:
    blank = judge_blank(page, page.dpi)
    if blank.is_blank:
        return [Finding(kind=FindingKind.BLANK, confidence=blank.confidence)]
    return judge_quality(page, page.dpi, usual_height_mm, straightened_deg)


def _page(pixels: Pixels, dpi: float, treatment: Treatment) -> Pixels:
    """Return the page that the treatment makes, at the resolution of `pixels`; for analysis, not for display."""
    height, width = pixels.shape[:2]
    box = page_box(px_to_mm(width, dpi), px_to_mm(height, dpi), treatment)
    size_px = max(1, round(mm_to_px(box.height_mm, dpi))), max(1, round(mm_to_px(box.width_mm, dpi)))
    turn = cv2.getRotationMatrix2D((0, 0), box.skew_deg, 1.0)
    centre = np.array([mm_to_px(box.centre_x_mm, dpi) - 0.5, mm_to_px(box.centre_y_mm, dpi) - 0.5])
    turn[:, 2] = centre - turn[:, :2] @ np.array([(size_px[1] - 1) / 2, (size_px[0] - 1) / 2])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    page = cv2.warpAffine(pixels, turn, size_px[::-1], flags=flags, borderValue=(PAPER_WHITE,) * 3)
    upright = turned(np.asarray(page, np.uint8), treatment.quarter_turns)
    return clear(upright, cleared_areas(treatment, box), dpi) if treatment.part else upright


def _skew(sheet: View, frame: SheetFrame) -> SkewEstimate:
    """Return the skew of the print; that of the paper's edges where there is no print to go by."""
    print_skew = estimate_skew(sheet, sheet.dpi)
    edge_skew_deg = _edge_skew_deg(frame.corners)
    if frame.confidence < SURE:
        return print_skew
    if print_skew.confidence >= SURE and abs(print_skew.skew_deg - edge_skew_deg) < PRINT_ON_PAPER_DEG:
        return print_skew
    if abs(print_skew.skew_deg - edge_skew_deg) < EDGES_AGREE_DEG and print_skew.confidence > SURE / 2:
        return SkewEstimate(print_skew.skew_deg, max(print_skew.confidence, frame.confidence))
    return SkewEstimate(edge_skew_deg, frame.confidence)


def _skew_of_flat(sheet: View, frame: SheetFrame) -> SkewEstimate:
    """Return the skew of the print on a photo's sheet that was made flat.

    Its sides are straight by then, to a tenth of a degree. Print is more exact where it is all over the sheet, and far
    less so where it is little, or something lies on it: it counts where both halves say the same.
    """
    printed = estimate_skew(sheet, sheet.dpi, PRINT_ON_PAPER_DEG)
    middle = len(sheet.grey) // 2
    halves = [
        estimate_skew(np.ascontiguousarray(half), sheet.dpi, PRINT_ON_PAPER_DEG)
        for half in (sheet.grey[:middle], sheet.grey[middle:])
    ]
    apart_deg = abs(halves[0].skew_deg - halves[1].skew_deg)
    if min(estimate.confidence for estimate in (printed, *halves)) >= SURE and apart_deg <= HALVES_AGREE_DEG:
        return printed
    return SkewEstimate(0.0, frame.confidence)


def _edge_skew_deg(corners: Quad) -> float:
    """Return the mean turn of the four sides, counter-clockwise positive."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = corners
    across = math.atan2((y0 - y1) + (y3 - y2), (x1 - x0) + (x2 - x3))
    down = math.atan2((x3 - x0) + (x2 - x1), (y3 - y0) + (y2 - y1))
    return math.degrees((across + down) / 2)


def _on_sheet_only(grey: Pixels, dpi: float, corners: Quad) -> Pixels:
    """Return the capture with everything off the sheet, and a rim of 2 mm, in the sheet's own mean grey."""
    quad_px = np.array([[mm_to_px(x, dpi), mm_to_px(y, dpi)] for x, y in corners])
    centre = quad_px.mean(axis=0)
    reach = np.abs(quad_px - centre).mean()
    shrunk = centre + (quad_px - centre) * max(0.0, 1 - mm_to_px(RIM_MM, dpi) / max(reach, 1.0))
    on_sheet = np.zeros(grey.shape, np.uint8)
    cv2.fillConvexPoly(on_sheet, np.rint(shrunk).astype(np.int32), 255)
    filled = np.full_like(grey, round(cv2.mean(grey, mask=on_sheet)[0]))
    cv2.copyTo(grey, on_sheet, filled)
    return filled
