"""The fold between the two pages of a spread.

A fold shows as a soft dark valley that runs from top to bottom. Print is taken out by the median over a band of rows;
what is left is searched for the deepest path (dynamic programming, as for seams). Where nothing is dark, the
widest space without print tells the pages apart.
"""

from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.valleys import valley_depths
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import Point, mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey

SEARCH_DPI = 75
SIDE_SHARE = 0.25  # no fold nearer than this to the left or right side of the picture
DRIFT_PX = 3  # a fold moves by at most this from band to band
FOLD_LEVELS = 3.0  # the smallest mean depth of a fold; anything less is uneven light
SURE_LEVELS = 8.0
HELD_SHARE = 0.7  # a fold shows along at least this share of its length
TO_THE_EDGE = 0.4  # a fold is at least this share as deep at both edges of the paper, where no rule is printed
RULE_MM = 1.5
MOST_RULES = 8
LEAST_SPACE_MM = 6.0
SHEAR_DEG = np.arange(-3.0, 3.01, 0.25)


class FoldKind(StrEnum):
    """What a gutter was found by."""

    SHADOW = "shadow"
    SPACE = "space"
    NONE = "none"


class Gutter(NamedTuple):
    """The line between two pages."""

    points: tuple[Point, ...]
    """`(x_mm, y_mm)`, from the top edge to the bottom edge; curved where the fold is."""
    kind: FoldKind
    confidence: float
    """0 to 1; below 0.5 the line is a guess."""


def find_gutter(page: Pixels, dpi: float) -> Gutter:
    """Find the fold of a spread: by its shadow, or else by the space between two blocks of print.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8; both pages upright, side by side.
        dpi: its resolution.

    Returns:
        The line; the middle with confidence 0 where there is no sign of a fold.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(page, dpi)
    by = max(1, int(dpi // SEARCH_DPI))
    grey = to_grey(shrunk(whole, by))
    work_dpi = dpi / by if grey.shape != whole.shape[:2] else dpi
    if min(grey.shape) < 16:
        return _straight(grey.shape, (grey.shape[1] - 1) / 2, 0.0, work_dpi, FoldKind.NONE, 0.0)
    depth, band_rows = valley_depths(grey, work_dpi)
    beside = round(mm_to_px(RULE_MM, work_dpi))
    searched = depth.copy()
    for _ in range(MOST_RULES):
        path = _deepest_path(searched)
        along = depth[np.arange(len(path)), path]
        mean_depth = float(np.median(along))
        if mean_depth < FOLD_LEVELS or (along > FOLD_LEVELS / 2).mean() < HELD_SHARE:
            break
        if min(along[0], along[-1]) >= TO_THE_EDGE * mean_depth:
            return _along(depth, path, band_rows, grey.shape[0], work_dpi, mean_depth)
        for band, col in enumerate(path):  # printed: it ends before the edges of the paper
            searched[band, max(0, col - beside) : col + beside + 1] = 0
    return _space(grey, work_dpi)


def _deepest_path(depth: NDArray[np.float32]) -> NDArray[np.intp]:
    """Return for each band the column through which the deepest path from top to bottom runs."""
    bands, width = depth.shape
    first, last = int(SIDE_SHARE * width), max(int((1 - SIDE_SHARE) * width), int(SIDE_SHARE * width) + 1)
    inner = depth[:, first:last].astype(np.float64)
    total = inner[0].copy()
    came = np.zeros((bands, inner.shape[1]), np.intp)
    shifts = np.arange(-DRIFT_PX, DRIFT_PX + 1)
    for band in range(1, bands):
        padded = np.pad(total, DRIFT_PX, constant_values=-np.inf)
        options = np.stack([padded[DRIFT_PX + by : DRIFT_PX + by + len(total)] - 0.2 * abs(by) for by in shifts])
        best = options.argmax(axis=0)
        came[band] = np.clip(np.arange(len(total)) + shifts[best], 0, len(total) - 1)
        total = options.max(axis=0) + inner[band]
    path = np.empty(bands, np.intp)
    path[-1] = total.argmax()
    for band in range(bands - 1, 0, -1):
        path[band - 1] = came[band, path[band]]
    return path + first


def _along(
    depth: NDArray[np.float32], path: NDArray[np.intp], band_rows: int, height: int, dpi: float, mean_depth: float
) -> Gutter:
    """Place the path between pixels, and draw a smooth curve through it."""
    bands = np.arange(len(path))
    inner = np.clip(path, 1, depth.shape[1] - 2)
    before, at, after = (depth[bands, inner + by].astype(np.float64) for by in (-1, 0, 1))
    bend = before - 2 * at + after
    shift = np.divide(0.5 * (before - after), bend, out=np.zeros(len(path)), where=bend < -1e-6)
    cols = inner + np.clip(shift, -0.5, 0.5)
    rows = (bands + 0.5) * band_rows
    weights = np.clip(at, 0.1, None)
    for _ in range(3):
        curve = np.polynomial.Polynomial.fit(rows, cols, 4 if len(rows) > 8 else 1, w=weights)
        off = np.abs(cols - curve(rows))
        weights = np.clip(at, 0.1, None) / (1 + (off / max(float(np.median(off)), 0.3)) ** 2)
    stops = np.linspace(0, height, 21)
    points = tuple((px_to_mm(float(curve(stop)) + 0.5, dpi), px_to_mm(float(stop), dpi)) for stop in stops)
    held = float((depth[bands, inner] > FOLD_LEVELS / 2).mean())
    return Gutter(points, FoldKind.SHADOW, float(np.clip(held * mean_depth / SURE_LEVELS, 0, 1)))


def _space(grey: Pixels, dpi: float) -> Gutter:
    """Find the widest space without print that runs from top to bottom, slanting by up to 3 degrees."""
    height, width = grey.shape
    rows, cols = np.nonzero(View(grey, dpi).ink)
    best = (0.0, (width - 1) / 2, 0.0)
    for shear_deg in SHEAR_DEG:
        slope = np.tan(np.radians(shear_deg))
        places = np.round(cols - (rows - height / 2) * slope).astype(np.intp)
        inside = places[(places >= 0) & (places < width)]
        counts = np.bincount(inside, minlength=width)
        taken = np.flatnonzero(counts > 0.002 * height)
        middle = taken[(taken > 0.1 * width) & (taken < 0.9 * width)]
        if len(middle) < 2:
            continue
        gaps = np.diff(middle)
        centres = (middle[:-1] + middle[1:]) / 2
        central = np.where(np.abs(centres - width / 2) < (0.5 - SIDE_SHARE) * width, gaps, 0)
        widest = int(central.argmax())
        if central[widest] > best[0] + (0 if abs(shear_deg) < 1e-9 else 1):
            best = (float(central[widest]), float(centres[widest]), float(slope))
    space_px, centre_px, slope = best
    space_mm = px_to_mm(space_px, dpi)
    if abs(centre_px - (width - 1) / 2) < space_px / 2:
        centre_px, slope = (width - 1) / 2, 0.0
    if space_mm < LEAST_SPACE_MM:
        return _straight(grey.shape, (width - 1) / 2, 0.0, dpi, FoldKind.NONE, 0.0)
    return _straight(grey.shape, centre_px, slope, dpi, FoldKind.SPACE, float(np.clip(space_mm / 20, 0, 0.9)))


def _straight(
    shape: tuple[int, ...], middle_px: float, slope: float, dpi: float, kind: FoldKind, confidence: float
) -> Gutter:
    reach = shape[0] / 2 * slope
    top, bottom = (px_to_mm(middle_px + by + 0.5, dpi) for by in (-reach, reach))
    return Gutter(((top, 0.0), (bottom, px_to_mm(shape[0], dpi))), kind, confidence)
