"""Skew from the projection profile of the bottom edges of ink.

The sum of squared differences between neighbouring rows of the profile is greatest along the lines of print
(W. Postl, "Detection of linear oblique structures and skew scan in digitized documents", ICPR 1986); bottom edges
only, since baselines are straighter than tops.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.profiles import levelled, profile, sharpness, thinned
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.picture import Pixels

MAX_POINTS = 60_000
COARSE_POINTS = 10_000
LEAST_POINTS = 50
COARSE_STEP_DEG = 0.5
FINE_STEP_DEG = 0.1
LINE_REACH_PX = 1.5
GUTTER_PX = 24  # columns of print are at least 4 mm apart
COLUMN_SHARE = 0.12  # a column holds at least this share of all points


class SkewEstimate(NamedTuple):
    """How far the content is turned."""

    skew_deg: float
    """Counter-clockwise positive: turning the page clockwise by it straightens it."""
    confidence: float
    """0 to 1; below 0.5 the value is a guess."""


def estimate_skew(page: Pixels | View, dpi: float, range_deg: float = 15.0) -> SkewEstimate:
    """Estimate the skew of a page's content.

    A coarse search over the whole range finds the angle within a tenth of a degree; a straight line through the
    bottom edges of every line of print, all with one slope, then gives it to a few thousandths.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        range_deg: angles of at most this size are looked for.

    Returns:
        The angle, within `range_deg`, and how sure it is. A page without print gives confidence 0.
    """
    points = view_of(page, dpi).bottom_edges
    if len(points) < LEAST_POINTS:
        return SkewEstimate(0.0, 0.0)
    some = thinned(points, COARSE_POINTS)
    coarse_deg = np.arange(-range_deg, range_deg + COARSE_STEP_DEG / 2, COARSE_STEP_DEG)
    coarse = sharpness(some, coarse_deg)
    around = FINE_STEP_DEG * np.arange(-5, 6)
    best_deg, best_score = 0.0, -1.0
    for start_deg in coarse_deg[np.argsort(coarse)[-3:]]:
        fine = sharpness(some, start_deg + around)
        if fine.max() > best_score:
            best_deg, best_score = float(start_deg + around[np.argmax(fine)]), float(fine.max())
    refined_deg = _slope_of_lines(thinned(points, MAX_POINTS), best_deg)
    return SkewEstimate(float(np.clip(refined_deg, -range_deg, range_deg)), _confidence(best_score, coarse))


def _slope_of_lines(points: NDArray[np.float32], angle_deg: float) -> float:
    """Fit straight lines of one slope to the points of each line of print; return the angle they are turned by.

    Columns of print have lines of their own, since those of two columns need not be level with each other.
    """
    for _ in range(3):
        down, along = levelled(points, angle_deg)
        column = _columns(along)
        line = _lines(down, column)
        used = line >= 0
        if used.sum() < LEAST_POINTS:
            break
        angle_deg -= float(np.degrees(np.arctan(_common_slope(line[used], along[used], down[used]))))
    return angle_deg


def _columns(along: NDArray[np.float32]) -> NDArray[np.intp]:
    """Return for each point the column of print that it is in, 0 from the left."""
    place = (along - along.min()).astype(np.int32)
    inked = np.bincount(place) > 0
    filled = np.bincount(place).cumsum() / len(place)
    edges = np.flatnonzero(np.diff(np.concatenate([[1], inked.astype(np.int8), [1]])))
    cuts: list[int] = []
    taken = 0.0
    for start, end in edges.reshape(-1, 2):
        share = float(filled[start - 1]) if start else 0.0
        if end - start >= GUTTER_PX and share - taken >= COLUMN_SHARE and 1 - share >= COLUMN_SHARE:
            cuts.append(int(start))
            taken = share
    return np.asarray(np.searchsorted(np.array(cuts, np.int32), place, side="right"), np.intp)


def _lines(down: NDArray[np.float32], column: NDArray[np.intp]) -> NDArray[np.intp]:
    """Return for each point the line of print that it ends, -1 for those between lines."""
    lines = np.full(len(down), -1, np.intp)
    begin = 0
    for number in range(int(column.max()) + 1):
        mine = np.flatnonzero(column == number)
        if not len(mine):
            continue
        filled = np.convolve(profile(down[mine]), [0.25, 0.5, 0.25], mode="same")
        inner = filled[1:-1]
        peaks = 1 + np.flatnonzero((inner >= filled[:-2]) & (inner > filled[2:]) & (inner > 0.1 * filled.max()))
        if not len(peaks):
            continue
        nearest = np.clip(np.searchsorted(peaks, down[mine]), 1, max(1, len(peaks) - 1))
        left, right = peaks[nearest - 1], peaks[np.minimum(nearest, len(peaks) - 1)]
        at = np.where(down[mine] - left < right - down[mine], nearest - 1, np.minimum(nearest, len(peaks) - 1))
        near = np.abs(down[mine] - peaks[at]) <= LINE_REACH_PX
        lines[mine[near]] = begin + at[near]
        begin += len(peaks)
    return lines


def _common_slope(line: NDArray[np.intp], along: NDArray[np.float32], down: NDArray[np.float32]) -> float:
    """Return the slope that all lines share, by least squares with an offset for each line."""
    count = np.maximum(np.bincount(line), 1)
    x = along - (np.bincount(line, along) / count)[line]
    y = down - (np.bincount(line, down) / count)[line]
    return float((x * y).sum() / max(float((x * x).sum()), 1e-9))


def _confidence(peak: float, coarse: NDArray[np.float64]) -> float:
    """Map the peak over the median of all angles to 0..1: 1.5 is noise, 4 and more is print."""
    prominence = peak / max(float(np.median(coarse)), 1e-9)
    return float(np.clip((prominence - 1.5) / 2.5, 0.0, 1.0))
