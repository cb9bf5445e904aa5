"""Lines that dust on the glass of a feeder draws down every scan."""

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

PARTS = 16  # of the height
ROWS_SHARE = 0.7  # of the rows of a part show the line, between the lines of print too
AROUND_MM = 1.1  # a line is narrower
WANDER_MM = 0.45
LEAST_LEVELS = 1.6
SEEN_SHARE = 0.75  # of the parts
EACH_ROW = 3
MAX_LINES = 12
RIM_MM = 1.5


class DustLine(NamedTuple):
    """A line down a scan, in mm from its left edge."""

    left_mm: float
    right_mm: float


def dust_lines_on(scan: Pixels, dpi: float) -> list[DustLine]:
    """Return narrow columns that are darker, or lighter, than those beside them all the way down.

    Args:
        scan: the capture itself, grey (h, w), at 100 to 200 dpi.
        dpi: its resolution.
    """
    some = scan[::EACH_ROW]
    if min(some.shape) < 4 * PARTS:
        return []
    parts = np.array_split(some, PARTS)
    found = []
    for part_values in (np.array([_level(255 - part) for part in parts]), np.array([_level(part) for part in parts])):
        found += _lines(part_values, dpi)
    return sorted(found)[:MAX_LINES]


def _level(part: Pixels) -> NDArray[np.float32]:
    """Return of each column what most of its rows reach."""
    at = int((1 - ROWS_SHARE) * (len(part) - 1))
    return np.asarray(np.partition(part, at, axis=0)[at], np.float32)


def _lines(levels: NDArray[np.float32], dpi: float) -> list[DustLine]:
    """Return the columns that stand out in nearly all parts; `levels` is (parts, w)."""
    around = max(3, 2 * math.ceil(mm_to_px(AROUND_MM, dpi) / 2) + 1)
    above = levels - cv2.morphologyEx(levels, cv2.MORPH_OPEN, np.ones((1, around), np.uint8))
    wander = 2 * round(mm_to_px(WANDER_MM / 2, dpi)) + 1
    near = cv2.dilate(above, np.ones((1, wander), np.uint8))
    seen = (near >= LEAST_LEVELS).mean(axis=0)
    strength = np.median(near, axis=0)
    lines = ((seen >= SEEN_SHARE) & (strength >= LEAST_LEVELS) & (near[[0, -1]] > 0).all(axis=0)).astype(np.int8)
    rim = round(mm_to_px(RIM_MM, dpi))
    lines[:rim] = lines[-rim:] = 0
    steps = np.diff(np.concatenate([[0], lines, [0]]))
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1)
    widest = mm_to_px(AROUND_MM + WANDER_MM, dpi)
    return [
        DustLine(px_to_mm(float(start), dpi), px_to_mm(float(end), dpi))
        for start, end in zip(starts, ends, strict=True)
        if end - start <= widest
    ]
