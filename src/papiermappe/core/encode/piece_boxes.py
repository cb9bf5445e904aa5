"""Boxes around what lies scattered on a page, few enough that each can be kept as a picture of its own."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

TILE_MM = 2.0
MAX_PIECES = 24
WHOLE_SHARE = 0.6  # pieces that together cover more than this share become one

MAX_ROUNDS = 20  # boxes that grow into each other one by one would take as many rounds as there are boxes

PxBox = tuple[int, int, int, int]
"""Left, top, right and bottom, px."""
Boxes = NDArray[np.intp]
"""(n, 4), the same in tiles."""


def boxes_around(held: Pixels, dpi: float) -> list[PxBox]:
    """Return boxes around all that is there, with 2 mm around it; no two boxes overlap.

    Args:
        held: (h, w), 1 where something is.
        dpi: its resolution.

    >>> page = np.zeros((40, 30), np.uint8)
    >>> page[10, 12] = 1
    >>> boxes_around(page, 25.4)
    [(10, 8, 16, 14)]
    """
    tile = max(1, round(mm_to_px(TILE_MM, dpi)))
    return _boxes(_tiled(held, tile), tile, held.shape)


def _tiled(far: Pixels, tile: int) -> Pixels:
    """Return which tiles hold something, grown by one tile on every side."""
    padded = cv2.copyMakeBorder(far, 0, -far.shape[0] % tile, 0, -far.shape[1] % tile, cv2.BORDER_CONSTANT)
    rows, cols = padded.shape[0] // tile, padded.shape[1] // tile
    held = np.where(padded.reshape(rows, tile, cols, tile).any(axis=(1, 3)), np.uint8(1), np.uint8(0))
    return np.asarray(cv2.dilate(held, np.ones((3, 3), np.uint8)), np.uint8)


def _boxes(tiles: Pixels, tile: int, shape: tuple[int, ...]) -> list[PxBox]:
    """Return boxes around all held tiles, in px of a page of a shape."""
    boxes = _apart(tiles)
    area = ((boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])).sum()
    if len(boxes) > MAX_PIECES or area > WHOLE_SHARE * tiles.size:
        boxes = _around(boxes)
    within = np.minimum(boxes * tile, np.array([shape[1], shape[0]] * 2))
    return [(left, top, right, bottom) for left, top, right, bottom in within.tolist()]


def _apart(tiles: Pixels) -> Boxes:
    """Return boxes around all held tiles that do not overlap: those that do are laid together, as often as it takes."""
    boxes = _around_each(tiles)
    for _ in range(MAX_ROUNDS):
        covered = np.zeros_like(tiles)
        for left, top, right, bottom in boxes.tolist():
            covered[top:bottom, left:right] = 1
        joined = _around_each(covered)
        if len(joined) == len(boxes):
            return joined
        boxes = joined
    return _around(boxes)


def _around_each(tiles: Pixels) -> Boxes:
    """Return the box around each group of tiles that touch."""
    _, _, stats, _ = cv2.connectedComponentsWithStats(tiles, connectivity=8)
    left_top, size = stats[1:, :2], stats[1:, 2:4]  # the first is what is not held
    return np.hstack([left_top, left_top + size]).astype(np.intp)


def _around(boxes: Boxes) -> Boxes:
    return np.hstack([boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)])[None]
