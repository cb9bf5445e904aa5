"""Dark shapes that a recogniser takes for letters, as the mark of a firm beside its name."""

import cv2
import numpy as np

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import BoxMm, Line, PageText

SOLID_SHARE = 0.5
"""Of its height, that the thickest stroke of a word has: up to a third in bold print, and a half or more in shapes."""
LEAST_MM = 3.0
"""Dots of lists and dashes are lower, and as solid."""
BESIDE_MM, DARK_FIELD_SHARE = 1.0, 0.5
"""Where so much beside a word is dark it is light print in a dark field."""


def without_solids(page: PageText, grey: Pixels, dpi: float) -> PageText:
    """Return a page without the words that stand for a dark shape.

    Args:
        page: what was read.
        grey: (h, w), the picture that was read.
        dpi: its resolution.

    >>> without_solids(PageText(width_mm=9, height_mm=9, languages=()), np.full((90, 90), 255, np.uint8), 254).blocks
    ()
    """

    def kept(line: Line) -> Line | None:
        words = tuple(word for word in line.words if not _is_solid(word.box, grey, dpi))
        return line.model_copy(update={"words": words}) if words else None

    return page.rewritten(kept)


def _is_solid(box: BoxMm, grey: Pixels, dpi: float) -> bool:
    if box.bottom - box.top < LEAST_MM:
        return False
    left, top, right, bottom = (
        max(0, round(mm_to_px(side, dpi))) for side in (box.left, box.top, box.right, box.bottom)
    )
    beside = round(mm_to_px(BESIDE_MM, dpi))
    around = grey[max(0, top - beside) : bottom + beside, max(0, left - beside) : right + beside]
    if not grey[top:bottom, left:right].size:
        return False
    middle = (float(around.max()) + float(around.min())) / 2
    ink = np.less(grey[top:bottom, left:right], middle).astype(np.uint8)
    beside_px = np.count_nonzero(np.less(around, middle)) - np.count_nonzero(ink)
    if beside_px > DARK_FIELD_SHARE * (around.size - ink.size):
        return False
    framed = cv2.copyMakeBorder(ink, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    thickest_px = 2 * float(cv2.distanceTransform(framed, cv2.DIST_L2, 3).max())
    return thickest_px >= SOLID_SHARE * len(ink)
