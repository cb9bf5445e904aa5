"""Lengths and places.

Places on paper are `(x_mm, y_mm)`, right and down from the top left of a capture. Places in arrays are
`(row, col)`. Pixel centres lie at whole numbers, so the left edge of a picture is at column -0.5.
"""

import math
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator

MM_PER_INCH = 25.4
POINTS_PER_MM = 72 / MM_PER_INCH

Point = tuple[float, float]


def _finite(corners: tuple[Point, Point, Point, Point]) -> tuple[Point, Point, Point, Point]:
    if not all(math.isfinite(value) for corner in corners for value in corner):
        raise ValueError("corners must be finite")
    return corners


Quad = Annotated[tuple[Point, Point, Point, Point], AfterValidator(_finite)]
"""Four corners `(x_mm, y_mm)`: top left, top right, bottom right, bottom left."""


def mm_to_px(length_mm: float, dpi: float) -> float:
    """Return a length in pixels, not rounded."""
    return length_mm / MM_PER_INCH * dpi


def px_to_mm(length_px: float, dpi: float) -> float:
    """Return a length in mm."""
    return length_px / dpi * MM_PER_INCH


def rotation_deg(angle_deg: float) -> NDArray[np.float64]:
    """Return the (2, 2) matrix that turns `(x, y)`, y down, counter-clockwise as seen by `angle_deg`."""
    angle_rad = math.radians(angle_deg)
    cos, sin = math.cos(angle_rad), math.sin(angle_rad)
    return np.array([[cos, sin], [-sin, cos]])


def turned_by(place: Point, angle_deg: float) -> Point:
    """Return a place turned about the origin as `rotation_deg` does: for few places, far quicker than by a matrix.

    >>> x, y = turned_by((1.0, 0.0), 90.0)
    >>> round(x, 9), round(y, 9)
    (0.0, -1.0)
    """
    angle_rad = math.radians(angle_deg)
    cos, sin = math.cos(angle_rad), math.sin(angle_rad)
    x, y = place
    return cos * x + sin * y, cos * y - sin * x


def quad_px(corners: Quad, dpi: float) -> NDArray[np.float64]:
    """Return corners in mm from the top left of a picture as px, pixel centres at whole numbers, (4, 2).

    >>> quad_px(((0, 0), (25.4, 0), (25.4, 25.4), (0, 25.4)), 100.0)[2].tolist()
    [99.5, 99.5]
    """
    return np.array([(mm_to_px(x_mm, dpi) - 0.5, mm_to_px(y_mm, dpi) - 0.5) for x_mm, y_mm in corners])


def quad_mm(corners_px: NDArray[np.float64], dpi: float) -> Quad:
    """Return corners in px, (4, 2), pixel centres at whole numbers, as mm from the top left of the picture.

    >>> quad_mm(quad_px(((0, 0), (25.4, 0), (25.4, 25.4), (0, 25.4)), 100.0), 100.0)[2]
    (25.4, 25.4)
    """
    first, second, third, fourth = (
        (px_to_mm(float(x) + 0.5, dpi), px_to_mm(float(y) + 0.5, dpi)) for x, y in corners_px
    )
    return (first, second, third, fourth)


def order_corners(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return four `(x, y)` points, (4, 2), as top left, top right, bottom right, bottom left.

    The top left is the corner nearest the origin in city-block distance; it holds for turns under 45 degrees.
    """
    centre = points.mean(axis=0)
    clockwise = points[np.argsort(np.arctan2(points[:, 1] - centre[1], points[:, 0] - centre[0]))]
    return np.roll(clockwise, -int(np.argmin(clockwise.sum(axis=1))), axis=0)
