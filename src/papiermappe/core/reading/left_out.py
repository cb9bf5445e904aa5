"""Print that a recogniser left out: a page number that stands alone, a cell of a table, a line of its own."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.tone import binarise
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import BoxMm, PageText

END_SHARE = 0.12  # of the page's height: the head and the foot each reach this far
TOGETHER_MM = (1.2, 3.0)  # down and across: print closer together than this is one piece
HEIGHTS_MM, WIDEST_MM = (1.2, 6.0), 120.0  # of a line of print
LEAST_INK_MM2 = 0.3
EDGE_MM = 3.0  # ink this close to the page's edge is dirt or a shadow
RULE_MM, RULE_BESIDE_MM = 10.0, 0.15  # the shortest rule; its rough edge is left out with it
READ = 0.6  # confidence of a word: the box of a less sure one may reach over print that was not read
AROUND_WORD_MM = 0.4
MOST = 60  # more pieces than this, and they are a picture, or a hand


def left_out(grey: Pixels, dpi: float, text: PageText) -> list[BoxMm]:
    """Return where print stands that was not read; nothing where so much was not read that it can hardly be print.

    Args:
        grey: (h, w), straightened and the right way up.
        dpi: its resolution.
        text: what was read on it.

    >>> left_out(np.full((300, 200), 255, np.uint8), 25.4, PageText(width_mm=200, height_mm=300, languages=()))
    []
    """
    ink = _without_rules(binarise(grey, dpi), dpi) & ~_within_words(grey.shape, dpi, text)
    high, wide = (2 * round(mm_to_px(gap / 2, dpi)) + 1 for gap in TOGETHER_MM)
    together = cv2.morphologyEx(ink.view(np.uint8), cv2.MORPH_CLOSE, np.ones((high, wide), np.uint8))
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(together, connectivity=8)
    inked = np.bincount(labels[ink], minlength=len(boxes))
    height_mm, width_mm = (px_to_mm(side, dpi) for side in grey.shape)
    plain = inked * px_to_mm(1, dpi) ** 2 >= LEAST_INK_MM2
    plain[0] = False  # the paper
    pieces = [_box(boxes[label], dpi) for label in np.flatnonzero(plain)]
    found = [box for box in pieces if _is_print(box, height_mm, width_mm)]
    return found if len(found) <= MOST else []


def stands_alone_at_end(box: BoxMm, text: PageText) -> bool:
    """Return whether nothing was read beside a piece of print at the head or the foot of a page."""
    end_mm = END_SHARE * text.height_mm
    at_end = box.bottom <= end_mm or box.top >= text.height_mm - end_mm
    return at_end and not any(shares_rows(box, line.box) for line in text.lines())


def shares_rows(one: BoxMm, other: BoxMm) -> bool:
    """Return whether two places lie beside each other.

    >>> shares_rows(BoxMm(left=0, top=1, right=2, bottom=3), BoxMm(left=50, top=2, right=60, bottom=4))
    True
    """
    return one.top < other.bottom and other.top < one.bottom


def _without_rules(ink: NDArray[np.bool_], dpi: float) -> NDArray[np.bool_]:
    """Return ink, (h, w), without level and upright rules, which frame print rather than belong to it."""
    print_only = ink.copy()
    length, thick = (max(1, round(mm_to_px(reach, dpi))) for reach in (RULE_MM, RULE_BESIDE_MM))
    for line, wider in (((1, length), (2 * thick + 1, 1)), ((length, 1), (1, 2 * thick + 1))):
        rules = cv2.morphologyEx(ink.view(np.uint8), cv2.MORPH_OPEN, np.ones(line, np.uint8))
        print_only &= cv2.dilate(rules, np.ones(wider, np.uint8)) == 0
    return print_only


def _within_words(shape: tuple[int, ...], dpi: float, text: PageText) -> NDArray[np.bool_]:
    within = np.zeros(shape, np.bool_)
    for word in (word for line in text.lines() for word in line.words if word.confidence >= READ):
        top, left = (max(0, round(mm_to_px(side - AROUND_WORD_MM, dpi))) for side in (word.box.top, word.box.left))
        bottom, right = (round(mm_to_px(side + AROUND_WORD_MM, dpi)) for side in (word.box.bottom, word.box.right))
        within[top:bottom, left:right] = True
    return within


def _box(sides: NDArray[np.int32], dpi: float) -> BoxMm:
    left_px, top_px, wide_px, high_px = (int(side) for side in sides[:4])
    return BoxMm(
        left=px_to_mm(left_px, dpi),
        top=px_to_mm(top_px, dpi),
        right=px_to_mm(left_px + wide_px, dpi),
        bottom=px_to_mm(top_px + high_px, dpi),
    )


def _is_print(box: BoxMm, height_mm: float, width_mm: float) -> bool:
    inside = min(box.left, box.top, width_mm - box.right, height_mm - box.bottom) >= EDGE_MM
    least, most = HEIGHTS_MM
    return inside and least <= box.bottom - box.top <= most and box.right - box.left <= WIDEST_MM
