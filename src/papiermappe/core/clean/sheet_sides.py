"""Placing the sides of a sheet exactly, where they are seen, and on the capture's edge where they run beyond it."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import STEADY_SHARE, Line, SideFit, fit_side
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

LEAST_SEEN_MM = 10.0  # of a side, to be placed by what is seen of it
BEYOND_SHARE = 0.3  # where less than this share of a side is on the capture...
NEAR_MM = 5.0  # ...and it lies this close to the capture's edge, that edge is used, so that nothing is cut off
SAME_MM = 0.5  # lines that cross a side's middle within this distance are the same line
TOUCH_MM = 1.2  # a side this close to the capture's edge runs along it
FITS_SHARE = 0.5


def place_side(capture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> SideFit:
    """Place one side; where it runs beyond the capture, its edge is the side, and nothing speaks against it."""
    height, width = capture.shape[:2]
    rough = Line.through(start, end)
    edge = _edge_along(rough, width, height)
    within = _clipped(start, end, width, height)
    if within is None:
        return SideFit(edge, 1.0)
    visible_px = float(np.hypot(*(within[1] - within[0])))
    fit = _fitted(capture, dpi, *within) if visible_px >= mm_to_px(LEAST_SEEN_MM, dpi) else None
    touching_px = mm_to_px(TOUCH_MM, dpi)
    if fit is not None and fit.share >= FITS_SHARE:
        at_edge = np.abs(edge.away(fit.line.nearest(np.array(within)))).mean() < touching_px
        return SideFit(edge, 1.0) if at_edge and fit.is_slight else fit
    mostly_beyond = visible_px < BEYOND_SHARE * float(np.hypot(*(end - start)))
    touching_px = mm_to_px(NEAR_MM, dpi) if mostly_beyond else touching_px
    if np.abs(edge.away(np.array(within))).max() < touching_px:
        return SideFit(edge, 1.0)
    return fit or SideFit(rough, 1.0 if mostly_beyond else 0.0)


def _fitted(capture: Pixels, dpi: float, start: NDArray[np.float64], end: NDArray[np.float64]) -> SideFit | None:
    """Place a side; where it does not fit all along, or leans much, its lean is placed again from there."""
    fit = fit_side(capture, dpi, start, end)
    if fit is None or (fit.share >= STEADY_SHARE and not fit.leans_most):
        return fit
    height, width = capture.shape[:2]
    first, last = fit.line.nearest(np.array([start, end]))
    leaning = _clipped(first, last, width, height)
    again = fit_side(capture, dpi, *leaning) if leaning is not None else None
    if again is None or again.share < STEADY_SHARE:
        return fit
    return again if abs(again.line.away((first + last) / 2)) < mm_to_px(SAME_MM, dpi) else fit


def edges_of(width: int, height: int) -> tuple[Line, Line, Line, Line]:
    """Return the edges of a picture, clockwise from the top."""
    return (
        Line(-0.5, -0.5, 1.0, 0.0),
        Line(width - 0.5, -0.5, 0.0, 1.0),
        Line(width - 0.5, height - 0.5, -1.0, 0.0),
        Line(-0.5, height - 0.5, 0.0, -1.0),
    )


def _edge_along(line: Line, width: int, height: int) -> Line:
    """Return the edge of the picture that runs the same way as a side of a sheet."""
    return max(edges_of(width, height), key=lambda edge: edge.dx * line.dx + edge.dy * line.dy)


def _clipped(
    start: NDArray[np.float64], end: NDArray[np.float64], width: int, height: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Return the part of a side on the picture (J. Liang, B. Barsky, ACM TOG 3, 1984); None where none is."""
    way = end - start
    low, high = 0.0, 1.0
    for axis, most in ((0, width - 1.0), (1, height - 1.0)):
        if abs(way[axis]) < 1e-9:
            if not 0 <= start[axis] <= most:
                return None
            continue
        one, other = sorted((-start[axis] / way[axis], (most - start[axis]) / way[axis]))
        low, high = max(low, float(one)), min(high, float(other))
    return (start + low * way, start + high * way) if low < high else None
