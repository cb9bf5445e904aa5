"""The part of a page that shows best what compression does to it: plenty of print, and colour where there is any."""

import cv2
import numpy as np

from papiermappe.core.clean.background import paper_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, light_and_tint, shrunk

LOOK_DPI = 50
INK_LEVELS, COLOUR_LEVELS = 50, 50  # the levels from which on more darkness or colour adds nothing...
COLOUR_WEIGHT = 4.0  # ...but colour is rarer than ink


def telling_spot(page: Pixels, dpi: float, width_mm: float, height_mm: float) -> tuple[float, float]:
    """Return the middle of the window of the given size that tells most, as shares of the page's width and height.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        width_mm: of the window.
        height_mm: of the window.
    """
    by = max(1, round(dpi / LOOK_DPI))
    small = shrunk(page, by)
    size = _size_px(page, dpi, width_mm, height_mm)
    window = tuple(max(1, min(side // by, most)) for side, most in zip(size, small.shape, strict=False))
    sums = cv2.boxFilter(_telling(small, dpi / by), cv2.CV_32F, window[::-1], anchor=(0, 0), normalize=False)
    rows, cols = small.shape[0] - window[0] + 1, small.shape[1] - window[1] + 1
    top, left = np.unravel_index(int(np.argmax(sums[:rows, :cols])), (rows, cols))
    return (float(left) + window[1] / 2) / small.shape[1], (float(top) + window[0] / 2) / small.shape[0]


def window_at(
    page: Pixels, dpi: float, middle: tuple[float, float], width_mm: float, height_mm: float
) -> tuple[slice, slice]:
    """Return the rows and columns of a window of the given size round a place, moved into the page where it leaves it.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        middle: of the window, as shares of the page's width and height.
        width_mm: of the window.
        height_mm: of the window.
    """
    size = _size_px(page, dpi, width_mm, height_mm)
    first, second = (
        slice(start, start + side)
        for share, side, most in zip(middle[::-1], size, page.shape, strict=False)
        for start in (round(min(max(share * most - side / 2, 0), most - side)),)
    )
    return first, second


def _size_px(page: Pixels, dpi: float, width_mm: float, height_mm: float) -> tuple[int, int]:
    height, width = page.shape[:2]
    return min(round(mm_to_px(height_mm, dpi)), height), min(round(mm_to_px(width_mm, dpi)), width)


def _telling(small: Pixels, dpi: float) -> Pixels:
    """Return how much each pixel contributes, (h, w): what changes does, since a rule or a plain area tells little."""
    light, colour = light_and_tint(np.asarray(cv2.absdiff(small, paper_of(small, dpi)), np.uint8))
    telling = np.minimum(light, INK_LEVELS) + COLOUR_WEIGHT * np.minimum(colour, COLOUR_LEVELS)
    return np.asarray(cv2.morphologyEx(np.asarray(telling, np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3))), np.uint8)
