"""The part of a page that shows best what compression does to it: plenty of print, and colour where there is any."""

import cv2
import numpy as np

from papiermappe.core.clean.background import paper_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, light_and_tint, shrunk

LOOK_DPI = 50
INK_LEVELS, COLOUR_LEVELS = 50, 50  # the levels from which on more darkness or colour adds nothing...
COLOUR_WEIGHT = 4.0  # ...but colour is rarer than ink


def telling_sample(page: Pixels, dpi: float, width_mm: float, height_mm: float) -> tuple[slice, slice]:
    """Return the rows and columns of a window of the given size; the whole page if it is smaller.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        width_mm: of the window.
        height_mm: of the window.
    """
    by = max(1, round(dpi / LOOK_DPI))
    small = shrunk(page, by)
    size = tuple(
        min(round(mm_to_px(side, dpi)), most) for side, most in zip((height_mm, width_mm), page.shape, strict=False)
    )
    window = tuple(max(1, min(side // by, most)) for side, most in zip(size, small.shape, strict=False))
    sums = cv2.boxFilter(_telling(small, dpi / by), cv2.CV_32F, window[::-1], anchor=(0, 0), normalize=False)
    rows, cols = small.shape[0] - window[0] + 1, small.shape[1] - window[1] + 1
    top, left = np.unravel_index(int(np.argmax(sums[:rows, :cols])), (rows, cols))
    starts = (min(int(at) * by, most - side) for at, most, side in zip((top, left), page.shape, size, strict=False))
    first, second = (slice(start, start + side) for start, side in zip(starts, size, strict=True))
    return first, second


def _telling(small: Pixels, dpi: float) -> Pixels:
    """Return how much each pixel contributes, (h, w)."""
    light, colour = light_and_tint(np.asarray(cv2.absdiff(small, paper_of(small, dpi)), np.uint8))
    telling = np.minimum(light, INK_LEVELS) + COLOUR_WEIGHT * np.minimum(colour, COLOUR_LEVELS)
    return np.asarray(telling, np.uint8)
