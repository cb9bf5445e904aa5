"""Skew from the projection profile of the bottom edges of ink.

The sum of squared differences between neighbouring rows of the profile is greatest along the lines of print
(W. Postl, "Detection of linear oblique structures and skew scan in digitized documents", ICPR 1986); bottom edges
only, since baselines are straighter than tops.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels, shrunk, to_grey

WORK_DPI = 150
INK_LEVELS = 18  # ink is darker than its surroundings by at least this
MOST_POINTS = 60_000
COARSE_POINTS = 15_000
LEAST_POINTS = 50
COARSE_STEP_DEG = 0.5
FINE_STEP_DEG = 0.1
LINE_REACH_PX = 1.5
GUTTER_PX = 24  # 4 mm without ink between two columns of print
COLUMN_SHARE = 0.12  # of all points, at least, for a part of the page to count as a column


class SkewEstimate(NamedTuple):
    """How far the content is turned."""

    skew_deg: float
    """Counter-clockwise positive: turning the page clockwise by it straightens it."""
    confidence: float
    """0 to 1; below 0.5 the value is a guess."""


def estimate_skew(page: Pixels, dpi: float, range_deg: float = 15.0) -> SkewEstimate:
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
    points = bottom_edges(shrunk(to_grey(page), int(dpi // WORK_DPI)))
    if len(points) < LEAST_POINTS:
        return SkewEstimate(0.0, 0.0)
    some = _thinned(points, COARSE_POINTS)
    coarse_deg = np.arange(-range_deg, range_deg + COARSE_STEP_DEG / 2, COARSE_STEP_DEG)
    coarse = _scores(some, coarse_deg)
    around = FINE_STEP_DEG * np.arange(-5, 6)
    best_deg, best_score = 0.0, -1.0
    for start_deg in coarse_deg[np.argsort(coarse)[-3:]]:
        fine = _scores(some, start_deg + around)
        if fine.max() > best_score:
            best_deg, best_score = float(start_deg + around[np.argmax(fine)]), float(fine.max())
    refined_deg = _slope_of_lines(_thinned(points, MOST_POINTS), best_deg)
    return SkewEstimate(float(np.clip(refined_deg, -range_deg, range_deg)), _confidence(best_score, coarse))


def bottom_edges(grey: Pixels) -> NDArray[np.float32]:
    """Return where ink ends downwards, as (n, 2) `(row, col)`; the row lies between pixels, where the ink ends.

    Ink is what is darker than its surroundings; thick dark areas (pictures, borders) do not count as ink.
    """
    above = cv2.subtract(cv2.blur(grey, (31, 31)), grey, dtype=cv2.CV_16S)  # how much darker than around it
    ink = (above > INK_LEVELS).astype(np.uint8)
    thick = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((15, 15), np.uint8))
    ink[cv2.dilate(thick, np.ones((9, 9), np.uint8)) > 0] = 0
    rows, cols = np.nonzero((ink[:-1] > 0) & (ink[1:] == 0))
    inside = above[rows, cols].astype(np.float32) - INK_LEVELS
    outside = INK_LEVELS - above[rows + 1, cols].astype(np.float32)
    return np.column_stack([rows + inside / np.maximum(inside + outside, 1e-3), cols]).astype(np.float32)


def _thinned(points: NDArray[np.float32], most: int) -> NDArray[np.float32]:
    """Keep an even share of the points, the same ones each time."""
    if len(points) <= most:
        return points
    return points[np.linspace(0, len(points) - 1, most).astype(np.intp)]


def _scores(points: NDArray[np.float32], angles_deg: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the sharpness of the profile along each angle.

    A point between two rows is shared out between them in proportion, so that the score changes smoothly with
    the angle.
    """
    scores = np.empty(len(angles_deg))
    for at, angle_deg in enumerate(angles_deg):
        scores[at] = np.square(np.diff(_profile(_levelled(points, float(angle_deg))[0]))).sum()
    return scores


def _levelled(points: NDArray[np.float32], angle_deg: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return how far down and how far along each point lies when the page is turned clockwise by the angle."""
    sin, cos = np.sin(np.radians(angle_deg)), np.cos(np.radians(angle_deg))
    rows, cols = points[:, 0], points[:, 1]
    down = rows * np.float32(cos) + cols * np.float32(sin)
    return down - down.min(), cols * np.float32(cos) - rows * np.float32(sin)


def _profile(down: NDArray[np.float32]) -> NDArray[np.float64]:
    low = down.astype(np.int32)
    share = down - low
    length = int(low.max()) + 2
    profile = np.bincount(low, 1 - share, length) + np.bincount(low + 1, share, length)
    return np.asarray(profile, np.float64)


def _slope_of_lines(points: NDArray[np.float32], angle_deg: float) -> float:
    """Fit straight lines of one slope to the points of each line of print; return the angle they are turned by.

    Columns of print have lines of their own, since those of two columns need not be level with each other.
    """
    for _ in range(3):
        down, along = _levelled(points, angle_deg)
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
        profile = np.convolve(_profile(down[mine]), [0.25, 0.5, 0.25], mode="same")
        inner = profile[1:-1]
        peaks = 1 + np.flatnonzero((inner >= profile[:-2]) & (inner > profile[2:]) & (inner > 0.1 * profile.max()))
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
