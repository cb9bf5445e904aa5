"""The sheet against its backing.

Where backing and paper differ plainly, what differs is the sheet. Where both are white, its edges still show as long
straight lines of slight shade, and the outermost are taken. Either way each side is then placed where the brightness
steps most along the whole of it, so that cut corners, holes and torn places do no harm. A frame that would cut print is
never sure: then it was a picture, a table or a field on the sheet.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.borders import black_borders_mm, is_bilevel
from papiermappe.core.clean.edges import crossing
from papiermappe.core.clean.lines import lines_from_outside
from papiermappe.core.clean.sheet_candidates import Coarse, areas_apart, coarse
from papiermappe.core.clean.sheet_evidence import (
    PrintMap,
    ends_in_picture,
    goes_on_beyond,
    is_alike_across,
    within_sheet,
)
from papiermappe.core.clean.sheet_frame import (
    SURE,
    SheetFrame,
    fits_of,
    framed,
    placed,
    reading_place,
    whole_frame,
)
from papiermappe.core.clean.sheet_sides import edges_of
from papiermappe.core.geometry import mm_to_px, px_to_mm, quad_mm
from papiermappe.core.picture import Pixels, checked, to_grey

UNSURE = 0.4
LINE_SHARE = 0.6  # a faint line covers at least this share of a side
LINES_CONFIDENCE = 0.8
ALIKE_SHARE = 0.98  # of a frame that another one holds, from which on both are taken for the same
BORDERS_DPI = 150.0  # enough for borders


def find_sheet(capture: Pixels, dpi: float) -> SheetFrame:
    """Find the largest sheet on a capture.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Returns:
        The frame; the whole capture with confidence 0 where no sheet stands out. A side where the sheet reaches beyond
        the capture lies on the capture's edge. A frame with print outside, or on its sides, has a confidence below 0.5.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(capture, dpi)
    small = coarse(whole, dpi)
    printed = PrintMap(small)
    frame = _best_frame(whole, dpi, small, printed)
    trimmed = _trimmed(frame, to_grey(whole), dpi) if is_bilevel(whole) else frame
    return _judged(trimmed, printed, dpi) if trimmed is not frame else frame


def _best_frame(capture: Pixels, dpi: float, small: Coarse, printed: PrintMap) -> SheetFrame:
    plain = [_judged(frame, printed, dpi) for frame in _plain_frames(capture, dpi, small)[:1]]
    if plain and plain[0].confidence >= SURE:
        corners = mm_to_px(1.0, dpi) * np.array(plain[0].corners) - 0.5
        at_margin = any(is_alike_across(capture, dpi, corners, side) for side in printed.beginning_at(corners))
        if at_margin or ends_in_picture(capture, dpi, small, corners) or goes_on_beyond(capture, dpi, corners):
            plain[0] = plain[0]._replace(confidence=UNSURE)
        elif not _lies_on_edge(corners, capture.shape):
            return plain[0]
    by_lines = _judged(_frame_by_lines(capture, dpi, small, printed), printed, dpi, faint=True)
    if by_lines.confidence >= SURE and plain and _is_smaller(by_lines, plain[0]):
        return by_lines  # where light falls off, the backing on one side may be as bright as the paper
    return max([*plain, by_lines, whole_frame(capture, dpi)], key=lambda frame: frame.confidence)


def _lies_on_edge(corners: NDArray[np.float64], shape: tuple[int, ...]) -> bool:
    """Return whether a side of a frame lies on an edge of the capture."""
    height, width = shape[:2]
    beyond = (corners <= 0) | (corners >= (width - 1, height - 1))
    return bool((beyond & np.roll(beyond, -1, axis=0)).any())


def _is_smaller(one: SheetFrame, other: SheetFrame) -> bool:
    """Return whether a frame holds plainly less than another one."""
    area, whole = (cv2.contourArea(np.array(frame.corners, np.float32)) for frame in (one, other))
    return area < ALIKE_SHARE * whole


def _trimmed(frame: SheetFrame, grey: Pixels, dpi: float) -> SheetFrame:
    """Return the frame without the black borders that are left in it; the very same where none are."""
    corners = (mm_to_px(1.0, dpi) * np.array(frame.corners) - 0.5).astype(np.float32)
    flat_dpi = min(dpi, BORDERS_DPI)
    lengths = np.linalg.norm(corners - np.roll(corners, -1, axis=0), axis=1) * flat_dpi / dpi
    width, height = (max(1, round(float(lengths[side::2].mean()))) for side in (0, 1))
    upright = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32) - np.float32(0.5)
    flat = cv2.warpPerspective(grey, cv2.getPerspectiveTransform(corners, upright), (width, height), borderValue=255)
    top, right, bottom, left = mm_to_px(1.0, flat_dpi) * black_borders_mm(np.asarray(flat, np.uint8), flat_dpi)
    if not max(top, right, bottom, left):
        return frame
    kept = upright + np.array([(left, top), (-right, top), (-right, -bottom), (left, -bottom)], np.float32)
    placed = cv2.perspectiveTransform(kept[None], cv2.getPerspectiveTransform(upright, corners))[0]
    confidence = frame.confidence or LINES_CONFIDENCE  # a doubtful frame is as doubtful without its border
    return SheetFrame(quad_mm(np.asarray(placed, np.float64), dpi), confidence)


def find_sheets(capture: Pixels, dpi: float) -> list[SheetFrame]:
    """Find all sheets that lie apart from each other on a capture, in reading order.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Returns:
        A frame for each; that of `find_sheet` where no more than one stands out.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(capture, dpi)
    frames = [frame for frame in _plain_frames(whole, dpi, coarse(whole, dpi)) if frame.confidence >= SURE]
    if len(frames) < 2:
        return [find_sheet(capture, dpi)]
    height_mm = px_to_mm(capture.shape[0], dpi)
    return sorted(frames, key=lambda frame: reading_place(frame.corners, height_mm))


def _plain_frames(capture: Pixels, dpi: float, small: Coarse) -> list[SheetFrame]:
    """Return what differs from the backing, the largest first: in the first way in which that is sure, or the best."""
    found: list[list[SheetFrame]] = [[]]
    for boxes in areas_apart(small):
        found.append([placed(capture, dpi, box) for box in boxes])
        if found[-1] and found[-1][0].confidence >= SURE:
            return found[-1]
    return max(found, key=lambda frames: frames[0].confidence if frames else -1.0)


def _frame_by_lines(capture: Pixels, dpi: float, small: Coarse, printed: PrintMap) -> SheetFrame:
    """Return the rectangle of the outermost lines that run along a whole side; the capture's edges where none does."""
    lines = lines_from_outside(small.picture, small.dpi)
    if lines is None:
        return whole_frame(capture, dpi)
    height, width = capture.shape[:2]
    waiting = [
        [line.scaled(small.by) for line in side] + [edge]
        for side, edge in zip(lines, edges_of(width, height), strict=True)
    ]
    while any(len(side) > 1 for side in waiting):
        corners = np.array([crossing(waiting[side - 1][0], waiting[side][0]) for side in range(4)])
        if not np.isfinite(corners).all():
            return whole_frame(capture, dpi)
        fits = fits_of(capture, dpi, corners)
        doubtful = (
            [side for side in range(4) if fits[side].share < LINE_SHARE]
            or printed.lost_beyond(corners)
            or printed.beginning_at(corners)
            or within_sheet(capture, dpi, corners)
        )
        doubtful = [side for side in doubtful if len(waiting[side]) > 1]
        if not doubtful:
            return framed(fits, dpi, LINES_CONFIDENCE) or whole_frame(capture, dpi)
        del waiting[min(doubtful, key=lambda side: fits[side].share)][0]
    return whole_frame(capture, dpi)


def _judged(frame: SheetFrame, printed: PrintMap, dpi: float, faint: bool = False) -> SheetFrame:
    """Return the frame as sure as it may be: not where it loses print, nor, if faint, along the margin of a text."""
    corners = mm_to_px(1.0, dpi) * np.array(frame.corners) - 0.5
    if frame.confidence < SURE:
        return frame
    loses_print = printed.lost_beyond(corners) or (faint and printed.beginning_at(corners))
    return frame._replace(confidence=UNSURE) if loses_print else frame
