"""How a sheet stands: which way up, and how far its print is turned."""

import math
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.analysis.sheet_in_view import SheetInView
from papiermappe.core.clean.sheet_frame import SheetFrame
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew
from papiermappe.core.clean.upright import TurnEstimate, find_upright
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import Quad, mm_to_px
from papiermappe.core.picture import Pixels, turned
from papiermappe.core.treatment import MAX_SKEW_DEG, SURE

LEAST_TURN_DPI = 50.0  # rows of a table are taken for lines of print below that
RIM_MM = 2.0
EDGES_AGREE_DEG = 1.0
HALVES_AGREE_DEG = 0.2  # of a sheet on a photo: print in both halves of it is turned by about the same
PRINT_ON_PAPER_DEG = 3.0  # whatever is turned further than this against its sheet is probably not print


class Stance(NamedTuple):
    """How a sheet stands."""

    turn: TurnEstimate
    quarter_turns: int
    """By which it is turned: none where the way up is not sure."""
    skew: SkewEstimate


def stance_of(sheet: SheetInView, on_sheet: View, upright: TurnEstimate | None) -> Stance:
    """Return how a sheet stands.

    Args:
        sheet: with its frame.
        on_sheet: the same in grey, without what lies beside the sheet.
        upright: how it must be turned, if known; otherwise it is found here.
    """
    turn = upright or _upright(on_sheet)
    quarter_turns = turn.quarter_turns if turn.confidence >= SURE else 0
    if quarter_turns % 2:  # a dust line that runs along the lines of print would be taken for one of them
        on_sheet = View(turned(on_sheet.grey, 1), on_sheet.dpi)
    skew = _skew_of_flat(on_sheet, sheet.frame) if sheet.is_made_flat else _skew(on_sheet, sheet.frame)
    return Stance(turn, quarter_turns, skew)


def view_on_sheet(grey: Pixels, dpi: float, corners: Quad) -> View:
    """Return a capture with everything off the sheet, and a rim of 2 mm, in the sheet's own mean grey."""
    quad_px = np.array([[mm_to_px(x, dpi), mm_to_px(y, dpi)] for x, y in corners])
    centre = quad_px.mean(axis=0)
    reach = np.abs(quad_px - centre).mean()
    shrunk = centre + (quad_px - centre) * max(0.0, 1 - mm_to_px(RIM_MM, dpi) / max(reach, 1.0))
    on_sheet = np.zeros(grey.shape, np.uint8)
    cv2.fillConvexPoly(on_sheet, np.rint(shrunk).astype(np.int32), 255)
    filled = np.full_like(grey, round(cv2.mean(grey, mask=on_sheet)[0]))
    cv2.copyTo(grey, on_sheet, filled)
    return View(filled, dpi)


def _upright(sheet: View) -> TurnEstimate:
    """Return how a page must be turned; unsure where its print is too coarse for that to be told."""
    turn = find_upright(sheet, sheet.dpi)
    return turn if sheet.dpi >= LEAST_TURN_DPI else turn._replace(confidence=min(turn.confidence, SURE / 2))


def _skew(sheet: View, frame: SheetFrame) -> SkewEstimate:
    """Return the skew of the print; that of the paper's edges where there is no print to go by."""
    print_skew = estimate_skew(sheet, sheet.dpi)
    edge_skew_deg = _edge_skew_deg(frame.corners)
    if frame.confidence < SURE or abs(edge_skew_deg) > MAX_SKEW_DEG:  # as a picture of two pixels may seem to lean
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
