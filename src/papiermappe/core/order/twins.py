"""Whether two pages are the same side of the same sheet, taken twice.

Two forms alike but filled in differently are not: what tells is any piece of ink that one has and the other has not.
"""

from collections.abc import Sequence
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.order.imprint import INK_DPI, SHADE_DPI, Imprint
from papiermappe.core.picture import Pixels

REACH_MM = 6.0  # how far apart the same print may lie on two pages that were cut to their sheets
ALIKE, NEARLY_ALIKE = 0.93, 0.8  # correlation of the print at 75 dpi, and at 25 dpi
OTHER = 0.85
PRINT_LEVELS = 60  # a piece of ink is darker than the paper by this...
FAINT_LEVELS = 25  # ...and may be so much fainter on the other page
SLACK_MM = 0.9  # how far apart its edges may lie
PIECE_MM2 = 0.8  # smaller pieces are dust
LEAST_PRINT_MM2 = 25.0  # with less, pages are too empty to tell
SIZE_MM = 8.0


class Sameness(StrEnum):
    """What comparing two pages tells."""

    SAME = "same"
    OTHER = "other"
    UNKNOWN = "unknown"
    """Nearly empty, or neither clearly one nor the other."""


def compare(one: Imprint, other: Imprint) -> Sameness:
    """Return whether two pages, as they came in, are the same side of the same sheet."""
    sizes_px = np.array([one.shade.shape, other.shade.shape])
    if np.abs(np.diff(sizes_px, axis=0)).max() > mm_to_px(SIZE_MM, SHADE_DPI):
        return Sameness.OTHER
    if _best_match(_print_of(one), _print_of(other), SHADE_DPI)[0] < NEARLY_ALIKE:
        return Sameness.UNKNOWN if min(_ink_mm2(page) for page in (one, other)) < LEAST_PRINT_MM2 else Sameness.OTHER
    return _compared_closely(one.ink, other.ink)


def compare_in_turn(pages: Sequence[Imprint | None]) -> list[Sameness]:
    """Return for each page of a run whether it is the page before it, taken again; of the first it is not known."""
    return [
        Sameness.UNKNOWN if before is None or now is None else compare(before, now)
        for before, now in zip([None, *pages], pages, strict=False)
    ]


def _compared_closely(one: Pixels, other: Pixels) -> Sameness:
    if min((ink > PRINT_LEVELS).sum() for ink in (one, other)) < LEAST_PRINT_MM2 * mm_to_px(1, INK_DPI) ** 2:
        return Sameness.UNKNOWN
    alike, (down, across) = _best_match(_softened(one), _softened(other), INK_DPI)
    if alike < OTHER:
        return Sameness.OTHER
    move = np.array([[1, 0, across], [0, 1, down]], np.float32)
    moved = np.asarray(cv2.warpAffine(one, move, other.shape[::-1]), np.uint8)
    margin = round(mm_to_px(REACH_MM, INK_DPI))
    inner = slice(margin, -margin), slice(margin, -margin)
    lacking = max(_piece_mm2(moved[inner], other[inner]), _piece_mm2(other[inner], moved[inner]))
    if lacking > PIECE_MM2:
        return Sameness.OTHER
    return Sameness.SAME if alike >= ALIKE else Sameness.UNKNOWN


def _piece_mm2(ink: Pixels, other: Pixels) -> float:
    """Return the size of the largest piece of ink that another page has not, near the same place."""
    reach = 2 * max(1, round(mm_to_px(SLACK_MM, INK_DPI))) + 1
    near = cv2.dilate(other, np.ones((reach, reach), np.uint8)) > FAINT_LEVELS
    lacking = ((ink > PRINT_LEVELS) & ~near).astype(np.uint8)
    _, _, about, _ = cv2.connectedComponentsWithStats(lacking, connectivity=8)
    largest_px = about[1:, cv2.CC_STAT_AREA].max(initial=0)
    return float(largest_px / mm_to_px(1, INK_DPI) ** 2)


def _best_match(one: NDArray[np.float32], other: NDArray[np.float32], dpi: float) -> tuple[float, tuple[int, int]]:
    """Return how well two pictures correlate where they do best, and by how many px (down, across) the first moves."""
    margin = round(mm_to_px(REACH_MM, dpi))
    inner = other[margin:-margin, margin:-margin]
    height, width = inner.shape[0] + 2 * margin, inner.shape[1] + 2 * margin
    around = np.zeros((height, width), np.float32)
    rows, columns = min(height, one.shape[0]), min(width, one.shape[1])
    around[:rows, :columns] = one[:rows, :columns]
    if min(inner.shape) < 2 * margin or not inner.any() or not around.any():
        return 0.0, (0, 0)
    found = cv2.matchTemplate(around, inner, cv2.TM_CCOEFF_NORMED)
    _, best, _, (x, y) = cv2.minMaxLoc(np.nan_to_num(found, posinf=0.0, neginf=0.0))
    return float(best), (margin - y, margin - x)


def _print_of(page: Imprint) -> NDArray[np.float32]:
    return page.printed.astype(np.float32)


def _softened(ink: Pixels) -> NDArray[np.float32]:
    return np.asarray(cv2.GaussianBlur(ink.astype(np.float32), (0, 0), 1.2), np.float32)


def _ink_mm2(page: Imprint) -> float:
    """Return about how much of a page is printed on."""
    return float((page.printed > FAINT_LEVELS // 2).sum() / mm_to_px(1, SHADE_DPI) ** 2)
