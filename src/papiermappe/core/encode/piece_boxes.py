"""Boxes around what lies scattered on a page, few enough that each can be kept as a picture of its own."""

import cv2
import numpy as np

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

TILE_MM = 2.0
MAX_PIECES = 24
WHOLE_SHARE = 0.6  # pieces that together cover more than this share become one

PxBox = tuple[int, int, int, int]
"""Left, top, right and bottom, px."""


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
    boxes: list[PxBox] = []
    contours, _ = cv2.findContours(tiles, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    for contour in contours:
        left, top, width, height = (int(side) for side in cv2.boundingRect(contour))
        boxes = _joined(boxes, (left, top, left + width, top + height))
    area = sum((right - left) * (bottom - top) for left, top, right, bottom in boxes)
    if len(boxes) > MAX_PIECES or area > WHOLE_SHARE * tiles.size:
        boxes = [_around(boxes)]
    return [
        (left * tile, top * tile, min(right * tile, shape[1]), min(bottom * tile, shape[0]))
        for left, top, right, bottom in boxes
    ]


def _joined(boxes: list[PxBox], box: PxBox) -> list[PxBox]:
    """Add a box, merged with those it overlaps."""
    for other in boxes:
        if box[0] < other[2] and other[0] < box[2] and box[1] < other[3] and other[1] < box[3]:
            return _joined([known for known in boxes if known is not other], _around([box, other]))
    return [*boxes, box]


def _around(boxes: list[PxBox]) -> PxBox:
    left, top, right, bottom = zip(*boxes, strict=True)
    return min(left), min(top), max(right), max(bottom)
