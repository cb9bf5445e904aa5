"""Skew from the projection profile of the bottom edges of ink.

The sum of squared differences between neighbouring rows of the profile is greatest along the lines of print
(W. Postl, "Detection of linear oblique structures and skew scan in digitized documents", ICPR 1986); bottom edges
only, since baselines are straighter than tops.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels, to_grey

WORK_DPI = 150
INK_LEVELS = 18  # ink is darker than its surroundings by at least this
MOST_POINTS = 60_000
LEAST_POINTS = 50


class SkewEstimate(NamedTuple):
    """How far the content is turned."""

    skew_deg: float
    """Counter-clockwise positive: turning the page clockwise by it straightens it."""
    confidence: float
    """0 to 1; below 0.5 the value is a guess."""


def estimate_skew(page: Pixels, dpi: float, range_deg: float = 15.0) -> SkewEstimate:
    """Estimate the skew of a page's content.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        range_deg: angles of at most this size are looked for.

    Returns:
        The angle, within `range_deg`, and how sure it is. A page without print gives confidence 0.
    """
    edges = np.argwhere(bottom_edges(_at_work_resolution(to_grey(page), dpi))).astype(np.float32)
    if len(edges) < LEAST_POINTS:
        return SkewEstimate(0.0, 0.0)
    rows, cols = _thinned(edges, MOST_POINTS).T
    coarse_deg = np.arange(-range_deg, range_deg + 0.25, 0.5)
    coarse = _scores(rows, cols, coarse_deg)
    best_deg, best_score = max(
        (_refined(rows, cols, float(coarse_deg[at])) for at in np.argsort(coarse)[-3:]),
        key=lambda peak: peak[1],
    )
    return SkewEstimate(float(np.clip(best_deg, -range_deg, range_deg)), _confidence(best_score, coarse))


def bottom_edges(grey: Pixels) -> NDArray[np.bool_]:
    """Return where ink ends downwards, (h, w) bool: ink at the row, paper below it.

    Ink is what is darker than its surroundings; thick dark areas (pictures, borders) do not count as ink.
    """
    local_mean = cv2.blur(grey, (31, 31))
    ink = cv2.compare(cv2.convertScaleAbs(grey, beta=INK_LEVELS), local_mean, cv2.CMP_LT)
    thick = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((15, 15), np.uint8))
    ink[cv2.dilate(thick, np.ones((9, 9), np.uint8)) > 0] = 0
    edges = np.zeros(grey.shape, np.bool_)
    edges[:-1] = (ink[:-1] > 0) & (ink[1:] == 0)
    return edges


def _at_work_resolution(grey: Pixels, dpi: float) -> Pixels:
    scale = WORK_DPI / dpi
    if scale >= 1:
        return grey
    size = (max(1, round(grey.shape[1] * scale)), max(1, round(grey.shape[0] * scale)))
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)


def _thinned(points: NDArray[np.float32], most: int) -> NDArray[np.float32]:
    """Keep an even share of the points, the same ones each time."""
    if len(points) <= most:
        return points
    return points[np.linspace(0, len(points) - 1, most).astype(np.intp)]


def _scores(
    rows: NDArray[np.float32], cols: NDArray[np.float32], angles_deg: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return the sharpness of the profile along each angle.

    A point between two rows is shared out between them in proportion, so that the score changes smoothly with
    the angle.
    """
    scores = np.empty(len(angles_deg))
    for at, angle_deg in enumerate(np.radians(angles_deg)):
        place = rows * np.cos(angle_deg) + cols * np.sin(angle_deg)
        place -= place.min()
        low = place.astype(np.int32)
        share = place - low
        length = int(low[-1] if len(low) == 1 else low.max()) + 2
        profile = np.bincount(low, 1 - share, length) + np.bincount(low + 1, share, length)
        scores[at] = np.square(np.diff(profile)).sum()
    return scores


def _refined(rows: NDArray[np.float32], cols: NDArray[np.float32], angle_deg: float) -> tuple[float, float]:
    """Climb from a coarse maximum to the top: steps of 0.1, then 0.02 degrees, then a parabola."""
    peak_score = 0.0
    for step_deg in (0.1, 0.02):
        around_deg = angle_deg + step_deg * np.arange(-5, 6)
        scores = _scores(rows, cols, np.asarray(around_deg, np.float64))
        top = int(np.argmax(scores))
        angle_deg, peak_score = float(around_deg[top]), float(scores[top])
        if step_deg == 0.02 and 0 < top < len(scores) - 1:
            before, at, after = scores[top - 1 : top + 2]
            angle_deg += step_deg * 0.5 * (before - after) / (before - 2 * at + after)
    return angle_deg, peak_score


def _confidence(peak: float, coarse: NDArray[np.float64]) -> float:
    """Map the peak over the median of all angles to 0..1: 1.5 is noise, 4 and more is print."""
    prominence = peak / max(float(np.median(coarse)), 1e-9)
    return float(np.clip((prominence - 1.5) / 2.5, 0.0, 1.0))
