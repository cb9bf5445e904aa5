"""The frame of a sheet: four sides placed exactly, and how sure they are."""

from typing import NamedTuple

import numpy as np

from papiermappe.core.clean.edges import SideFit, crossing
from papiermappe.core.clean.sheet_candidates import Corners
from papiermappe.core.clean.sheet_sides import place_side
from papiermappe.core.geometry import Quad, px_to_mm, quad_mm
from papiermappe.core.picture import Pixels

SURE = 0.5
ROWS = 4  # what has upper edges that differ by less than an eighth of the glass lies in one row


class SheetFrame(NamedTuple):
    """Where the sheet lies."""

    corners: Quad
    """Its corners in mm on the capture: top left, top right, bottom right, bottom left."""
    confidence: float
    """0 to 1; below 0.5 the frame is a guess. With 0 it is the whole capture."""


def placed(capture: Pixels, dpi: float, box: Corners) -> SheetFrame:
    """Place the four sides of a box, in px of the capture, exactly."""
    return framed(fits_of(capture, dpi, box), dpi, 1.0) or SheetFrame(quad_mm(box, dpi), 0.3)


def fits_of(capture: Pixels, dpi: float, corners: Corners) -> list[SideFit]:
    """Place each side of a rough frame, in px of the capture, where the brightness steps."""
    return [place_side(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)]


def framed(fits: list[SideFit], dpi: float, most: float) -> SheetFrame | None:
    """Return the frame of four sides, at most as sure as `most`; None where they do not meet."""
    corners = np.array([crossing(fits[side - 1].line, fits[side].line) for side in range(4)])
    if not np.isfinite(corners).all():
        return None
    shares = [fit.share for fit in fits]
    return SheetFrame(quad_mm(corners, dpi), most * float(np.sqrt(np.mean(shares) * min(1.0, 2 * min(shares)))))


def whole_frame(capture: Pixels, dpi: float) -> SheetFrame:
    """Return the whole capture as a frame that nothing speaks for."""
    width_mm, height_mm = px_to_mm(capture.shape[1], dpi), px_to_mm(capture.shape[0], dpi)
    return SheetFrame(((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm)), 0.0)


def reading_place(corners: Quad, height_mm: float) -> tuple[int, float]:
    """Return what sorts frames on a glass of a height: row by row, and from the left."""
    (left_mm, top_mm), *_ = corners
    return round(ROWS * top_mm / height_mm), left_mm
