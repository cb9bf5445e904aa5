"""Ink: what is darker than the paper around it, looked at with about 150 dpi."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.picture import Pixels, checked, shrunk, to_grey

WORK_DPI = 150
INK_LEVELS = 18  # ink is darker than its surroundings by at least this
AROUND_PX = 31
THICK_PX = 15  # 2.5 mm: thicker than any print, so a picture or a border


def working_copy(page: Pixels, dpi: float) -> tuple[Pixels, float]:
    """Return a page as grey (h, w) at about 150 dpi, and what its dpi is then. Raises PictureRefused."""
    by = max(1, int(dpi // WORK_DPI))
    grey = to_grey(checked(page, dpi))
    small = shrunk(grey, by)
    return small, dpi if small is grey else dpi / by


def darkness_of(grey: Pixels) -> NDArray[np.int16]:
    """Return how much darker each pixel is than the mean around it, in grey levels, (h, w)."""
    return np.asarray(cv2.subtract(cv2.blur(grey, (AROUND_PX, AROUND_PX)), grey, dtype=cv2.CV_16S), np.int16)


def ink_of(grey: Pixels) -> Pixels:
    """Return where ink is, (h, w), 1 = ink; thick dark areas (pictures, borders) do not count."""
    return _without_thick(darkness_of(grey))


def bottom_edges(grey: Pixels) -> NDArray[np.float32]:
    """Return where ink ends downwards, as (n, 2) `(row, col)`; the row lies between pixels, where the ink ends."""
    darkness = darkness_of(grey)
    ink = _without_thick(darkness)
    rows, cols = np.nonzero(ink[:-1] > ink[1:])
    inside = darkness[rows, cols].astype(np.float32) - INK_LEVELS
    outside = INK_LEVELS - darkness[rows + 1, cols].astype(np.float32)
    return np.column_stack([rows + inside / np.maximum(inside + outside, 1e-3), cols]).astype(np.float32)


def _without_thick(darkness: NDArray[np.int16]) -> Pixels:
    ink = (darkness > INK_LEVELS).astype(np.uint8)
    thick = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((THICK_PX, THICK_PX), np.uint8))
    ink[cv2.dilate(thick, np.ones((9, 9), np.uint8)) > 0] = 0
    return ink
