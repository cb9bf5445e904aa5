"""Ink and tone: bilevel, brightness and contrast."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import PaperCells, paper_cells
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey

AROUND_MM = 4.0
SENSITIVITY = 0.22  # Sauvola's k: how much darker than its surroundings ink must be where contrast is low
RANGE_LEVELS = 128.0  # Sauvola's R
BLACK_LEVELS = 90  # darker pixels are always ink
LIGHTEST_INK, DARKEST_INK = 243.0, 40.0  # with paper at 255: the farthest that somebody can move the limit of ink


def binarise(page: Pixels, dpi: float, ink_more: int = 0) -> NDArray[np.bool_]:
    """Return where ink is, (h, w), True = ink.

    Uneven light and the tint of the paper are taken out first; then each pixel is held against the mean and the
    spread around it (J. Sauvola, M. Pietikäinen, "Adaptive document image binarization", Pattern Recognition 33, 2000).

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        ink_more: from -100, only what is black is ink, to 100, what is hardly darker than the paper is, too.

    Raises:
        PictureRefused: not such a picture.
    """
    grey = to_grey(checked(page, dpi))
    return ink_on(grey, dpi, paper_cells(grey, dpi), ink_more)


def ink_on(grey: Pixels, dpi: float, paper: PaperCells, ink_more: int = 0) -> NDArray[np.bool_]:
    """Return where ink is as `binarise` does, on paper that is known: grey (h, w), paper in grey."""
    by = max(1, round(dpi / 75))
    small = shrunk(grey, by)
    bare = np.maximum(paper.sized(*small.shape[::-1]), 1)
    level = cv2.divide(small, bare, scale=255)
    around = (max(3, 2 * round(mm_to_px(AROUND_MM, dpi / by)) + 1),) * 2
    mean = cv2.boxFilter(level, cv2.CV_32F, around)
    spread = np.sqrt(np.maximum(cv2.sqrBoxFilter(level, cv2.CV_32F, around) - mean * mean, 0))
    threshold = np.maximum(mean * (1 + SENSITIVITY * (spread / RANGE_LEVELS - 1)), BLACK_LEVELS)
    if ink_more:
        end = LIGHTEST_INK if ink_more > 0 else DARKEST_INK
        threshold += abs(ink_more) / 100 * (end - threshold)
    limit = np.ceil(cv2.multiply(threshold, bare, scale=1 / 255, dtype=cv2.CV_32F)).astype(np.uint8)
    return np.asarray(grey < cv2.resize(limit, grey.shape[::-1], interpolation=cv2.INTER_LINEAR), np.bool_)


def adjusted(page: Pixels, brightness: int, contrast: int, out: Pixels | None = None) -> Pixels:
    """Return the page brighter or darker, with more or less contrast.

    A level v of 0 to 255 becomes `slope * (v - 128) + 128 + 1.28 * brightness`, with a slope of `1 + contrast / 50`
    above 0 and `1 + contrast / 100` below.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        brightness: -100 to 100.
        contrast: -100 to 100.
        out: where the page is written, of the same shape; it may be `page` itself. None: a new picture.

    Returns:
        A picture of the same shape; `page` itself where nothing is adjusted.
    """
    if not brightness and not contrast:
        return page
    slope = 1 + contrast / (50 if contrast > 0 else 100)
    levels = slope * (np.arange(256) - 128) + 128 + 1.28 * brightness
    return np.asarray(cv2.LUT(page, np.rint(levels).clip(0, 255).astype(np.uint8), out), np.uint8)
