"""Where a sheet itself is missing: punched holes, and corners that are torn off or cut.

Both sides of a sheet lack the same places, mirrored. The backing shows there; where it looks like paper, nothing is
found.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

BACKING_LEVELS = 24  # darker than paper
HOLE_MM = (4.5, 8.5)
ROUND, SOLID = 1.15, 0.85
EDGE_MM = 25.0  # holes are no further than this from an edge
CORNER_MM = (4.0, 60.0)
CORNER_SHARE = (0.3, 0.75)  # of its box that a triangle fills, more or less
MOST_PLACES = 8


def missing_paper(ink: Pixels, dpi: float) -> NDArray[np.float32]:
    """Return the middles of holes and the corners that are missing, in mm from the top left, (places, 2): x, y.

    Args:
        ink: a page cut to its sheet, (h, w), in grey levels darker than its paper.
        dpi: its resolution.

    >>> page = np.zeros((877, 620), np.uint8)  # A4 at 75 dpi
    >>> _ = cv2.circle(page, (35, 400), 9, 90, -1)
    >>> missing_paper(page, 75.0).round().tolist()
    [[12.0, 136.0]]
    """
    height, width = ink.shape
    _, _, boxes, _ = cv2.connectedComponentsWithStats((ink > BACKING_LEVELS).astype(np.uint8), connectivity=4)
    places = []
    large = boxes[1:, (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT)].min(axis=1) >= mm_to_px(
        min(HOLE_MM[0], CORNER_MM[0]), dpi
    )
    for left, top, across, down, area in boxes[1:][large]:
        middle = (left + across / 2, top + down / 2)
        if _is_hole(across, down, area, dpi) and _from_edge(middle, (width, height)) <= mm_to_px(EDGE_MM, dpi):
            places.append(middle)
        elif _is_corner(across, down, area, dpi) and (corner := _corner(left, top, across, down, (width, height))):
            places.append(corner)
    if len(places) > MOST_PLACES:  # a printed pattern
        places = []
    return np.array(places, np.float32).reshape(-1, 2) * np.float32(px_to_mm(1, dpi))


def _is_hole(across: int, down: int, area: int, dpi: float) -> bool:
    low, high = (mm_to_px(length, dpi) for length in HOLE_MM)
    is_round = max(across, down) <= ROUND * min(across, down) + 1
    return low <= min(across, down) <= max(across, down) <= high and is_round and (
        SOLID <= area / (np.pi / 4 * across * down) <= 1 / SOLID
    )  # fmt: skip


def _from_edge(place: tuple[float, float], size: tuple[int, int]) -> float:
    return min(*place, size[0] - place[0], size[1] - place[1])


def _is_corner(across: int, down: int, area: int, dpi: float) -> bool:
    low, high = (mm_to_px(length, dpi) for length in CORNER_MM)
    is_triangle = CORNER_SHARE[0] <= area / (across * down) <= CORNER_SHARE[1]
    return low <= min(across, down) <= max(across, down) <= high and is_triangle


def _corner(left: int, top: int, across: int, down: int, size: tuple[int, int]) -> tuple[float, float] | None:
    """Return the corner of a page that a box fills; None if it fills none."""
    width, height = size
    x = 0 if left <= 1 else width if left + across >= width - 1 else None
    y = 0 if top <= 1 else height if top + down >= height - 1 else None
    return None if x is None or y is None else (float(x), float(y))
