"""Lines that dust on the glass of a feeder draws down every scan."""

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.ranks import level_of_rank
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import SheetZone, ZoneKind

PARTS = 16  # of the height
ROWS_SHARE = 0.7  # of the rows of a part show the line, between the lines of print too
AROUND_MM = 1.1  # a line is narrower
WANDER_MM = 0.45
LEAST_LEVELS = 1.8
NOISE_TIMES = 1.4  # of what grain alone makes of most columns
SEEN_LEVELS = 0.7  # of that, in a single part
SEEN_SHARE = 0.75  # of the parts
EACH_ROW = 3
MAX_LINES = 12
RIM_MM = 1.5
ALL_DOWN_MM = 100.0  # a zone is at least so high to wipe a line, not a piece of it


class DustLine(NamedTuple):
    """A line down a scan, in mm from its left edge."""

    left_mm: float
    right_mm: float


def dust_lines_on(scan: Pixels, dpi: float) -> list[DustLine]:
    """Return narrow columns that are darker than those beside them all the way down.

    Args:
        scan: the capture itself, grey (h, w), at 100 to 200 dpi.
        dpi: its resolution.
    """
    some = scan[::EACH_ROW]
    if min(some.shape) < 4 * PARTS:
        return []
    darkness = np.array([_held_by_most(255 - part) for part in np.array_split(some, PARTS)])
    around = max(3, 2 * math.ceil(mm_to_px(AROUND_MM, dpi) / 2) + 1)
    above = darkness - cv2.morphologyEx(darkness, cv2.MORPH_OPEN, np.ones((1, around), np.uint8))
    wander = 2 * round(mm_to_px(WANDER_MM / 2, dpi)) + 1
    near = cv2.dilate(above, np.ones((1, wander), np.uint8))
    strength = np.median(near, axis=0)
    least = LEAST_LEVELS + NOISE_TIMES * float(np.median(strength))
    seen = (near >= least * SEEN_LEVELS).mean(axis=0) >= SEEN_SHARE
    seen &= (near[[0, -1]] >= least * SEEN_LEVELS).all(axis=0)
    return _lines(np.asarray(np.where(seen, strength, 0), np.float32), least, np.asarray(above, np.float32), dpi)


def not_wiped(lines: Iterable[DustLine], zones: Sequence[SheetZone]) -> list[DustLine]:
    """Return the lines that no zone of their scan wipes already."""
    boxes = [zone.box() for zone in zones if zone.kind is ZoneKind.WIPE]
    boxes = [box for box in boxes if box[3] - box[1] >= ALL_DOWN_MM]
    return [
        line
        for line in lines
        if not any(left <= (line.left_mm + line.right_mm) / 2 <= right for left, _, right, _ in boxes)
    ]


def _held_by_most(part: Pixels) -> NDArray[np.float32]:
    """Return of each column the level that most of its rows reach."""
    return level_of_rank(part, int((1 - ROWS_SHARE) * (len(part) - 1))).astype(np.float32)


def _lines(strength: NDArray[np.float32], least: float, above: NDArray[np.float32], dpi: float) -> list[DustLine]:
    """Return the strongest columns, each as wide as it shows itself, none near another."""
    left = strength.copy()
    rim = round(mm_to_px(RIM_MM, dpi))
    left[:rim] = left[-rim:] = 0
    mean = above.mean(axis=0)
    half = max(1, round(mm_to_px(AROUND_MM / 2, dpi)))
    found: list[DustLine] = []
    while len(found) < MAX_LINES and left.max() >= least:
        middle = int(left.argmax())
        plateau = np.flatnonzero(left[middle : middle + 4 * half] < left[middle])
        middle += (int(plateau[0]) if len(plateau) else 1) // 2
        part = slice(max(0, middle - half), middle + half + 1)
        shown = np.flatnonzero(mean[part] >= mean[part].max() / 3) + part.start
        found.append(DustLine(px_to_mm(float(shown[0]), dpi), px_to_mm(float(shown[-1] + 1), dpi)))
        left[max(0, middle - 2 * half) : middle + 2 * half + 1] = 0
    return sorted(found)
