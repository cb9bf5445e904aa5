"""Pages before and after, small and side by side: to be looked at."""

from collections.abc import Sequence

import cv2
import numpy as np

from papiermappe.core.picture import Pixels

HIGH_PX = 240
GAP_PX = 8
SPREADS_A_ROW, PAGES_A_ROW = 5, 10
GROUND = 120


def contact_sheet(before: Sequence[Pixels], after: Sequence[Pixels]) -> Pixels:
    """Return all spreads and, below them, all pages, RGB."""
    rows = [*_rows(before, SPREADS_A_ROW), *_rows(after, PAGES_A_ROW)]
    width = max(row.shape[1] for row in rows)
    filled = [
        cv2.copyMakeBorder(row, 0, 0, 0, width - row.shape[1], cv2.BORDER_CONSTANT, value=(GROUND,) * 3) for row in rows
    ]
    return np.concatenate([np.asarray(row, np.uint8) for row in filled])


def _rows(pictures: Sequence[Pixels], a_row: int) -> list[Pixels]:
    tiles = [_tile(picture) for picture in pictures]
    return [np.concatenate(tiles[first : first + a_row], axis=1) for first in range(0, len(tiles), a_row)]


def _tile(picture: Pixels) -> Pixels:
    colour = picture if picture.ndim == 3 else cv2.cvtColor(picture, cv2.COLOR_GRAY2RGB)
    size = round(colour.shape[1] * HIGH_PX / len(colour)), HIGH_PX
    small = cv2.resize(colour, size, interpolation=cv2.INTER_AREA)
    gaps = (GAP_PX, GAP_PX, GAP_PX, GAP_PX)
    return np.asarray(cv2.copyMakeBorder(small, *gaps, cv2.BORDER_CONSTANT, value=(GROUND,) * 3), np.uint8)
