"""Dirt: lines that dust on the glass of a feeder leaves, and specks strewn over the paper."""

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.pieces import Boxes, boxes_of
from papiermappe.core.clean.ranks import level_of_rank
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import Zone

LINE_LEVELS = 4
LINE_PARTS = 16  # of the height; a line of dust shows in the first and the last one...
LINE_GAPS = 1  # ...and in all others but this many
LINE_SHARE = 0.7  # of the rows of a part
LINE_MM = 0.9
EACH_ROW = 4  # every fourth row is enough to see a line that crosses all of them
RIM_MM = 2.0
MAX_LINES = 8
SPECK_LEVELS = 30
SPECK_MM = (0.15, 0.9)
ALONE_MM = 2.0
LEAST_SPECKS = 25
SPECKS_PER_CM2 = 0.13  # of paper without print
SAMPLE = 300
PRINTED_EVENNESS = 1.6  # the dots of a grid for notes; dirt has 1
OTHER_MM2 = 0.23  # ink nearby; no more than another speck has


def dust_lines(darker: Pixels, dpi: float, lean_deg: float) -> Iterator[Finding]:
    """Look for narrow columns that are darker than those beside them all the way down, between lines of print, too.

    Args:
        darker: how much darker than its paper each pixel is, (h, w).
        dpi: its resolution.
        lean_deg: by how much the page was straightened, and the lines of dust with it.
    """
    around = max(3, 2 * round(mm_to_px(LINE_MM, dpi)) + 1)
    height, width = darker.shape
    some = np.ascontiguousarray(darker[::EACH_ROW])
    lean = math.tan(math.radians(lean_deg))
    lean_some = lean * EACH_ROW
    upright = np.array([[1.0, -lean_some, lean_some * (len(some) - 1) / 2], [0.0, 1.0, 0.0]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    level = cv2.warpAffine(some, upright, (width, len(some)), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    parts = np.array_split(np.asarray(level, np.uint8), min(LINE_PARTS, len(level)))
    least = np.array([level_of_rank(part, int((1 - LINE_SHARE) * (len(part) - 1))) for part in parts])
    above = least - cv2.morphologyEx(least, cv2.MORPH_OPEN, np.ones((1, around), np.uint8))
    seen = above >= LINE_LEVELS
    # Dust lies on the glass of the feeder: its line runs from edge to edge. Rules that are printed end before.
    lines = (seen[0] & seen[-1] & (seen.sum(axis=0) >= len(parts) - LINE_GAPS)).astype(np.int8)
    rim = round(mm_to_px(RIM_MM, dpi))
    lines[:rim] = lines[-rim:] = 0
    steps = np.diff(np.concatenate([[0], lines, [0]]))
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1)
    if not 0 < len(starts) <= MAX_LINES:
        return
    beside_mm = 0.3 + px_to_mm(abs(lean) * height / 2, dpi)
    for start, end in zip(starts, ends, strict=True):
        zone = Zone(
            x_mm=px_to_mm(float(start), dpi) - beside_mm,
            y_mm=0.0,
            width_mm=px_to_mm(float(end - start), dpi) + 2 * beside_mm,
            height_mm=px_to_mm(darker.shape[0], dpi),
        )
        yield Finding(kind=FindingKind.DUST_LINE, confidence=0.8, zone=zone)


def strewn_specks(darker: Pixels, dpi: float) -> Iterator[Finding]:
    """Count specks that stand alone, and hold them against the paper on which they could be seen.

    Args:
        darker: how much darker than its paper each pixel is, (h, w).
        dpi: its resolution.
    """
    marks = np.asarray(cv2.threshold(darker, SPECK_LEVELS, 1, cv2.THRESH_BINARY)[1], np.uint8)
    low, high = (mm_to_px(mm, dpi) for mm in SPECK_MM)
    other_px = OTHER_MM2 * mm_to_px(1, dpi) ** 2
    reach = round(mm_to_px(ALONE_MM, dpi))
    around = (2 * reach + 1, 2 * reach + 1)
    ink_near = cv2.boxFilter(marks, -1, around, normalize=False, borderType=cv2.BORDER_CONSTANT)  # up to 255
    free = (ink_near <= high * high + other_px).astype(np.uint8)
    plain = cv2.subtract(darker, cv2.blur(darker, around)) > SPECK_LEVELS  # not the grain of a tinted field
    sparse = np.asarray(marks * free * plain, np.uint8)
    if cv2.countNonZero(sparse) < LEAST_SPECKS:
        return
    boxes = boxes_of(sparse)
    others = np.subtract(_ink_within(marks, boxes, reach), _ink_within(marks, boxes, 0))
    alone = (boxes.extent >= low) & (boxes.extent <= high) & (others <= other_px)
    specks = int(alone.sum())
    free_cm2 = cv2.countNonZero(free) / mm_to_px(10, dpi) ** 2
    if specks < max(LEAST_SPECKS, SPECKS_PER_CM2 * free_cm2):
        return
    rows, cols = (boxes.top + boxes.bottom)[alone] / 2, (boxes.left + boxes.right)[alone] / 2
    if _evenness(np.column_stack([rows, cols]) / mm_to_px(10, dpi), specks / free_cm2) < PRINTED_EVENNESS:
        sure = float(np.clip(specks / (3 * SPECKS_PER_CM2 * free_cm2), 0.5, 1.0))
        yield Finding(kind=FindingKind.DIRTY, params={"specks": specks}, confidence=sure)


def _evenness(places_cm: NDArray[np.float64], per_cm2: float) -> float:
    """Return how evenly points are spread: 1 for points strewn at random, 2 for a square grid.

    The mean distance to the nearest neighbour, held against that of a Poisson process (Clark and Evans, Distance to
    Nearest Neighbor as a Measure of Spatial Relationships in Populations, Ecology 35, 1954).
    """
    some = places_cm[:: max(1, len(places_cm) // SAMPLE)]
    away_cm = np.hypot(*(np.subtract.outer(some[:, axis], places_cm[:, axis]) for axis in (0, 1)))
    nearest_cm = np.partition(away_cm, 1, axis=1)[:, 1]  # the nearest of all is the point itself
    return float(nearest_cm.mean() * 2 * math.sqrt(per_cm2))


def _ink_within(marks: Pixels, boxes: Boxes, reach: int) -> NDArray[np.int32]:
    """Return how many pixels of a mask lie in each box grown by `reach` on all sides."""
    sums = cv2.integral(marks)
    rows, cols = (
        np.clip([start - reach, end + reach], 0, most).astype(np.intp)
        for start, end, most in (
            (boxes.top, boxes.bottom, marks.shape[0]),
            (boxes.left, boxes.right, marks.shape[1]),
        )
    )
    return np.asarray(
        sums[rows[1], cols[1]] - sums[rows[0], cols[1]] - sums[rows[1], cols[0]] + sums[rows[0], cols[0]], np.int32
    )
