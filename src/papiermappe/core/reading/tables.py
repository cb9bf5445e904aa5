"""Tables whose cells are divided by printed rules."""

from bisect import bisect_right
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.encode.ink import Ink
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import BoxMm

LOOK_DPI = 100
RULE_MM = 12.0  # shorter strokes are print
GAP_MM = 1.5  # the largest gap in one rule
SAME_MM = 2.0  # rules closer together than this are one
CROSSED_SHARE = 0.6  # a rule crosses a table if it covers at least this much of its side
LEAST_LINES = 3  # fewer make a box, not a table: two cells at least one way


class Grid(NamedTuple):
    """Where the rules of a table lie, in mm from the top left of the page."""

    rows_mm: tuple[float, ...]
    columns_mm: tuple[float, ...]

    def holds(self, box: BoxMm) -> bool:
        """Return whether the middle of a place lies in the table."""
        return self.cell_of((box.left + box.right) / 2, (box.top + box.bottom) / 2) is not None

    def cell_of(self, x_mm: float, y_mm: float) -> tuple[int, int] | None:
        """Return row and column of the cell that a point lies in; None outside of the table."""
        row, column = bisect_right(self.rows_mm, y_mm) - 1, bisect_right(self.columns_mm, x_mm) - 1
        inside = 0 <= row < len(self.rows_mm) - 1 and 0 <= column < len(self.columns_mm) - 1
        return (row, column) if inside else None


def find_tables(ink: Ink, dpi: float) -> list[Grid]:
    """Return the tables of a page, from the top.

    Args:
        ink: (h, w), True = ink, straightened.
        dpi: its resolution.
    """
    by = max(1, round(dpi / LOOK_DPI))
    small = _any_ink(ink, by)
    small_dpi = dpi / by
    across, down = (_rules(small, small_dpi, level) for level in (True, False))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(cv2.max(across, down), connectivity=8)
    grids = []
    for label in range(1, count):
        left, top, width, height = (int(stats[label, at]) for at in range(4))
        window = (slice(top, top + height), slice(left, left + width))
        own = labels[window] == label
        rows = _positions((across[window] > 0) & own, small_dpi, axis=1)
        columns = _positions((down[window] > 0) & own, small_dpi, axis=0)
        if len(rows) >= 2 and len(columns) >= 2 and max(len(rows), len(columns)) >= LEAST_LINES:
            top_mm, left_mm = px_to_mm(top, small_dpi), px_to_mm(left, small_dpi)
            grids.append(Grid(tuple(top_mm + at for at in rows), tuple(left_mm + at for at in columns)))
    return sorted(grids, key=lambda grid: grid.rows_mm[0])


def _any_ink(ink: Ink, by: int) -> Pixels:
    """Return a smaller picture, 255 where any of its pixels has ink: thin rules stay whole."""
    height, width = ink.shape[0] // by * by, ink.shape[1] // by * by
    if not height or not width:
        return np.where(ink, np.uint8(255), np.uint8(0))
    held = ink[:height, :width].reshape(height // by, by, width // by, by).any(axis=(1, 3))
    return np.where(held, np.uint8(255), np.uint8(0))


def _rules(small: Pixels, dpi: float, level: bool) -> Pixels:
    """Return only long straight strokes, level or upright ones."""
    length, gap = round(mm_to_px(RULE_MM, dpi)), round(mm_to_px(GAP_MM, dpi))

    def bar(size: int) -> NDArray[np.uint8]:
        return np.ones((1, size) if level else (size, 1), np.uint8)

    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, bar(gap))
    return np.asarray(cv2.morphologyEx(closed, cv2.MORPH_OPEN, bar(length)), np.uint8)


def _positions(rules: NDArray[np.bool_], dpi: float, axis: int) -> list[float]:
    """Return where rules run along most of a table, in mm from its edge."""
    share = rules.any(axis=axis) if rules.size == 0 else rules.mean(axis=axis)
    thick = round(mm_to_px(SAME_MM, dpi))
    found: list[list[int]] = []
    for at in np.flatnonzero(np.convolve(share, np.ones(3), "same") >= CROSSED_SHARE):
        if found and at - found[-1][-1] <= thick:
            found[-1].append(int(at))
        else:
            found.append([int(at)])
    return [px_to_mm(float(np.mean(group)), dpi) for group in found]
