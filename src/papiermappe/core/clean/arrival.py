"""What is found on a capture when it arrives, and the treatment that follows from it."""

import math

import cv2
import numpy as np

from papiermappe.core.clean.sheet import SheetFrame, find_sheet
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew
from papiermappe.core.geometry import Quad, mm_to_px
from papiermappe.core.picture import CapturedPicture, Pixels, Reduction
from papiermappe.core.treatment import SURE, Cropping, Straightening

LOOK_DPI = 150
REDUCTIONS: tuple[Reduction, ...] = (8, 4, 2)
RIM_MM = 2.0
EDGES_AGREE_DEG = 1.0
PRINT_ON_PAPER_DEG = 3.0  # print that is turned further than this on its sheet is more likely not print


def look_at(capture: CapturedPicture) -> tuple[Straightening, Cropping]:
    """Find sheet and skew. What the machine is not sure of is proposed but switched off. Raises PictureRefused."""
    reduction: Reduction = next((by for by in REDUCTIONS if capture.dpi / by >= LOOK_DPI), 1)
    pixels, dpi = capture.pixels(reduction), capture.dpi / reduction
    frame = find_sheet(pixels, dpi)
    skew = _skew(pixels, dpi, frame)
    return (
        Straightening(skew_deg=round(skew.skew_deg, 3), confidence=skew.confidence, on=skew.confidence >= SURE),
        Cropping(corners=frame.corners, confidence=frame.confidence, on=frame.confidence >= SURE),
    )


def _skew(pixels: Pixels, dpi: float, frame: SheetFrame) -> SkewEstimate:
    """Return the skew of the print; that of the paper's edges where there is no print to go by."""
    inside = _on_sheet_only(pixels, dpi, frame.corners) if frame.confidence > 0 else pixels
    print_skew = estimate_skew(inside, dpi)
    edge_skew_deg = _edge_skew_deg(frame.corners)
    if frame.confidence < SURE:
        return print_skew
    if print_skew.confidence >= SURE and abs(print_skew.skew_deg - edge_skew_deg) < PRINT_ON_PAPER_DEG:
        return print_skew
    if abs(print_skew.skew_deg - edge_skew_deg) < EDGES_AGREE_DEG and print_skew.confidence > SURE / 2:
        return SkewEstimate(print_skew.skew_deg, max(print_skew.confidence, frame.confidence))
    return SkewEstimate(edge_skew_deg, frame.confidence)


def _edge_skew_deg(corners: Quad) -> float:
    """Return the mean turn of the four sides, counter-clockwise positive."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = corners
    across = math.atan2((y0 - y1) + (y3 - y2), (x1 - x0) + (x2 - x3))
    down = math.atan2((x3 - x0) + (x2 - x1), (y3 - y0) + (y2 - y1))
    return math.degrees((across + down) / 2)


def _on_sheet_only(pixels: Pixels, dpi: float, corners: Quad) -> Pixels:
    """Return the capture with everything off the sheet, and a rim of 2 mm, in the sheet's own mean colour."""
    quad_px = np.array([[mm_to_px(x, dpi), mm_to_px(y, dpi)] for x, y in corners])
    centre = quad_px.mean(axis=0)
    reach = np.abs(quad_px - centre).mean()
    shrunk = centre + (quad_px - centre) * max(0.0, 1 - mm_to_px(RIM_MM, dpi) / max(reach, 1.0))
    off_sheet = np.full(pixels.shape[:2], 255, np.uint8)
    cv2.fillConvexPoly(off_sheet, np.rint(shrunk).astype(np.int32), 0)
    colour = cv2.mean(pixels, mask=cv2.bitwise_not(off_sheet))
    filled = pixels.copy()
    filled[off_sheet > 0] = np.rint(colour[: 1 if pixels.ndim == 2 else 3]).astype(np.uint8)
    return filled
