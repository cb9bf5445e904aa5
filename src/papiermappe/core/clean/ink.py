"""Ink: what is darker than the paper around it, looked at with about 150 dpi."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.profiles import thinned
from papiermappe.core.picture import Pixels

INK_LEVELS = 18  # ink is darker than its surroundings by at least this
AROUND_PX = 31
THICK_PX = 15  # 2.5 mm: thicker than any print, so a picture or a border


def darkness_of(grey: Pixels) -> NDArray[np.int16]:
    """Return how much darker each pixel is than the mean around it, in grey levels, (h, w)."""
    return np.asarray(cv2.subtract(cv2.blur(grey, (AROUND_PX, AROUND_PX)), grey, dtype=cv2.CV_16S), np.int16)


def without_thick(darkness: NDArray[np.int16]) -> Pixels:
    """Return where ink is, (h, w), 1 = ink; thick dark areas (pictures, borders) do not count."""
    ink = (darkness > INK_LEVELS).astype(np.uint8)
    thick = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((THICK_PX, THICK_PX), np.uint8))
    ink[cv2.dilate(thick, np.ones((9, 9), np.uint8)) > 0] = 0
    return ink


def bottom_edges(darkness: NDArray[np.int16], ink: Pixels, most: int | None = None) -> NDArray[np.float32]:
    """Return where ink ends downwards, as (n, 2) `(row, col)`; the row lies between pixels, where the ink ends.

    Args:
        darkness: (h, w), as `darkness_of` gives it.
        ink: (h, w), 1 = ink.
        most: so many places at most, an even share of all.
    """
    ends = cv2.findNonZero(cv2.subtract(ink[:-1], ink[1:])) if len(ink) > 1 else None
    if ends is None or not len(ends):
        return np.empty((0, 2), np.float32)
    places = ends.reshape(-1, 2)
    cols, rows = (places if most is None else thinned(places, most)).T
    inside = darkness[rows, cols].astype(np.float32) - INK_LEVELS
    outside = INK_LEVELS - darkness[rows + 1, cols].astype(np.float32)
    return np.column_stack([rows + inside / np.maximum(inside + outside, 1e-3), cols]).astype(np.float32)
