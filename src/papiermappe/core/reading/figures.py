"""What on a page is no print: stamps, signatures, emblems, photographs; text documents show them as pictures."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.encode.ink import Ink
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import BoxMm, Word
from papiermappe.core.reading.tables import Grid

LOOK_DPI = 100
SHOWN_DPI = 200
JOINED_MM = 0.9  # strokes closer together are one thing, lines of print are not
NEAR_MM = 2.5  # things closer together are one figure
LEAST_MM = 7.0  # print is smaller
RULE_MM = 1.5  # what is thinner is a rule
MARGIN_MM = 1.0
EDGE_MM = 4.0  # what touches the page's edge is a shadow rather than a figure
READ_SHARE = 0.35  # a figure of which words that are read for sure cover more is print
SURE_WORD = 0.6
MOST_FIGURES = 12


class Figure(NamedTuple):
    """A picture on a page."""

    box: BoxMm
    png: bytes


def find_figures(page: Pixels, ink: Ink, dpi: float, grids: Sequence[Grid] = ()) -> list[Figure]:
    """Return what may be pictures, from the top; some may be large print, which shows once the page is read.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        ink: of it, (h, w), True = ink.
        dpi: its resolution.
        grids: its tables, which are none.
    """
    by = max(1, round(dpi / LOOK_DPI))
    height, width = ink.shape[0] // by * by, ink.shape[1] // by * by
    if not height or not width:
        return []
    small_dpi = dpi / by
    held = ink[:height, :width].reshape(height // by, by, width // by, by).any(axis=(1, 3))
    small = np.where(held, np.uint8(1), np.uint8(0))
    for grid in grids:
        rows, cols = (_span(mm, small_dpi) for mm in (grid.rows_mm, grid.columns_mm))
        small[rows, cols] = 0
    boxes = _merged(_things(small, small_dpi), NEAR_MM)
    figures = [_figure(page, box, dpi) for box in boxes]
    return sorted(figures, key=lambda figure: (figure.box.top, figure.box.left))[:MOST_FIGURES]


def not_read(figures: Sequence[Figure], words: Sequence[Word]) -> list[Figure]:
    """Return the figures that are not covered by words, once it is known what was read."""
    return [figure for figure in figures if _read_share(figure.box, words) < READ_SHARE]


def _span(mm: tuple[float, ...], dpi: float) -> slice:
    return slice(max(0, round(mm_to_px(mm[0] - 1, dpi))), round(mm_to_px(mm[-1] + 1, dpi)))


def _things(small: Pixels, dpi: float) -> list[BoxMm]:
    """Return the places of connected things that are larger than print and thicker than a rule, on a small picture."""
    size = max(1, round(mm_to_px(JOINED_MM, dpi)))
    joined = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((size, size), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    height_mm, width_mm = (px_to_mm(side, dpi) for side in small.shape)
    things = []
    for left, top, width, height, _ in stats[1:].tolist():
        box = BoxMm(
            left=px_to_mm(left, dpi),
            top=px_to_mm(top, dpi),
            right=px_to_mm(left + width, dpi),
            bottom=px_to_mm(top + height, dpi),
        )
        inside = box.left > EDGE_MM and box.top > EDGE_MM
        inside = inside and box.right < width_mm - EDGE_MM and box.bottom < height_mm - EDGE_MM
        tall, wide = box.bottom - box.top, box.right - box.left
        if inside and max(tall, wide) >= LEAST_MM and min(tall, wide) > RULE_MM and tall >= LEAST_MM / 2:
            things.append(box)
    return things


def _merged(boxes: list[BoxMm], near_mm: float) -> list[BoxMm]:
    """Return places, those that lie near one another as one; only those that are high enough."""
    merged: list[BoxMm] = []
    for box in sorted(boxes, key=lambda one: one.top):
        near = [other for other in merged if _are_near(box, other, near_mm)]
        merged = [other for other in merged if other not in near]
        merged.append(BoxMm.around([box, *near]))
    return [box for box in merged if box.bottom - box.top >= LEAST_MM]


def _are_near(one: BoxMm, other: BoxMm, near_mm: float) -> bool:
    across = max(one.left, other.left) - min(one.right, other.right)
    down = max(one.top, other.top) - min(one.bottom, other.bottom)
    return across <= near_mm and down <= near_mm


def _figure(page: Pixels, box: BoxMm, dpi: float) -> Figure:
    top, bottom = (round(mm_to_px(side, dpi)) for side in (max(box.top - MARGIN_MM, 0), box.bottom + MARGIN_MM))
    left, right = (round(mm_to_px(side, dpi)) for side in (max(box.left - MARGIN_MM, 0), box.right + MARGIN_MM))
    cut = page[top:bottom, left:right]
    scale = min(1.0, SHOWN_DPI / dpi)
    if scale < 1:
        size = (max(1, round(cut.shape[1] * scale)), max(1, round(cut.shape[0] * scale)))
        cut = np.asarray(cv2.resize(cut, size, interpolation=cv2.INTER_AREA), np.uint8)
    return Figure(box, encode_png(np.ascontiguousarray(cut)))


def _read_share(box: BoxMm, words: Sequence[Word]) -> float:
    covered = sum(_shared_mm2(box, word.box) for word in words if word.confidence >= SURE_WORD)
    return covered / max((box.right - box.left) * (box.bottom - box.top), 1.0)


def _shared_mm2(one: BoxMm, other: BoxMm) -> float:
    across = min(one.right, other.right) - max(one.left, other.left)
    down = min(one.bottom, other.bottom) - max(one.top, other.top)
    return max(across, 0.0) * max(down, 0.0)
