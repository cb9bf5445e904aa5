"""The paper itself: how bright, and of which colour, it is everywhere on a page, print left out."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, shrunk

CELL_MM = 1.0
PRINT_MM = 9  # print, and whatever else is narrower, is not paper
PAPER_SHARE = 0.8  # paper is at least so bright, against the brightest of the page
FILL_MM = 8.0
SMOOTH_MM = 2.0


def paper_of(page: Pixels, dpi: float) -> Pixels:
    """Return the colour that bare paper has at each pixel, of the page's own shape.

    Where something covers the paper for more than 9 mm (a picture, a dark area), it is carried on from around it.

    Raises:
        PictureRefused: not a grey (h, w) or RGB (h, w, 3) uint8 picture.
    """
    height, width = checked(page, dpi).shape[:2]
    by_cell = shrunk(page, max(1, min(round(mm_to_px(CELL_MM, dpi)), min(height, width))))
    closed = cv2.morphologyEx(by_cell, cv2.MORPH_CLOSE, np.ones((PRINT_MM, PRINT_MM), np.uint8))
    light = closed if closed.ndim == 2 else closed.max(axis=2)
    is_paper = (light >= PAPER_SHARE * np.percentile(light, 90)).astype(np.float32)
    carried = _carried(closed.astype(np.float32), is_paper)
    smooth = cv2.GaussianBlur(carried, (0, 0), SMOOTH_MM).clip(0, 255).astype(np.uint8)
    return np.asarray(cv2.resize(smooth, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)


def _carried(cells: NDArray[np.float32], is_paper: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the cells, those that are not paper filled with the mean of the paper around them."""
    if is_paper.all():
        return cells
    own = is_paper if cells.ndim == 2 else is_paper[..., None]
    near = cv2.GaussianBlur(is_paper, (0, 0), FILL_MM) + np.float32(1e-6)
    filled = cv2.GaussianBlur(cells * own, (0, 0), FILL_MM) / (near if cells.ndim == 2 else near[..., None])
    return np.where(own > 0, cells, filled)
