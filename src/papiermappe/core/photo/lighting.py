"""Taking uneven light out of a photo, for a recogniser that is thrown by the edge of a shadow."""

import cv2
import numpy as np

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

STROKE_MM = 3.6  # print is thinner
SOFT_MM = 1.1
PAPER_LEVEL = 235


def evenly_lit(grey: Pixels, dpi: float) -> Pixels:
    """Return a page as if it were lit evenly: each pixel against the paper around it.

    Dark areas larger than print, as of pictures, become pale: the result is for reading, not for people.

    Args:
        grey: (h, w), uint8.
        dpi: of the page.

    >>> page = np.full((60, 120), 200, np.uint8)
    >>> page[:, 60:] = 100
    >>> bool(np.ptp(evenly_lit(page, 150)[:, (10, 110)]) <= 1)
    True
    """
    wide = max(3, round(mm_to_px(STROKE_MM, dpi))) | 1
    paper = cv2.morphologyEx(grey, cv2.MORPH_CLOSE, np.ones((wide, wide), np.uint8))
    soft = cv2.GaussianBlur(paper, (0, 0), max(mm_to_px(SOFT_MM, dpi), 0.5))
    return np.asarray(cv2.divide(grey, np.maximum(soft, 1), scale=PAPER_LEVEL), np.uint8)
