"""What a recogniser left out at the head and the foot of a page: a page number that stands alone, mostly."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.tone import binarise
from papiermappe.core.encode.plain import Readable, no_finer
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph

END_SHARE = 0.12  # of the page's height: the head and the foot each reach this far
TOGETHER_MM = (1.2, 3.0)  # down and across: print closer together than this is one piece
HEIGHTS_MM, WIDEST_MM = (1.2, 6.0), 40.0  # of a line of print
LEAST_INK_MM2 = 0.3
EDGE_MM = 3.0  # ink this close to the page's edge is dirt or a shadow
AROUND_MM = 2.5  # the paper cut out with a piece of print
LINE_PX = 22  # the height at which a single line is read best
SURE = 0.6  # confidence
MOST = 2  # more pieces than this, and they are not print


def left_out(grey: Pixels, dpi: float, text: PageText) -> list[BoxMm]:
    """Return where at the head or the foot of a page print stands for itself in its rows that was not read.

    Args:
        grey: (h, w), straightened and the right way up.
        dpi: its resolution.
        text: what was read on it.
    """
    end = round(END_SHARE * grey.shape[0])
    if end == 0:
        return []
    return [box for top in (0, grey.shape[0] - end) for box in _of_strip(grey, top, end, dpi, text)]


def cut_out(grey: Pixels, dpi: float, box: BoxMm) -> Readable:
    """Return a part of a page with some paper around it, to be read by itself."""
    left, top, right, bottom = (round(mm_to_px(side, dpi)) for side in _with_paper(box))
    part = np.ascontiguousarray(grey[max(0, top) : bottom, max(0, left) : right])
    return no_finer(part, dpi, px_to_mm(LINE_PX, 1.0) / (box.bottom - box.top))


def with_line(page: PageText, part: PageText, box: BoxMm) -> PageText:
    """Return what was read on a page and on a part that was cut out of it: a block of its own, if it is sure enough."""
    left, top, _, _ = _with_paper(box)
    words = [word for line in part.lines() for word in line.words]
    if not words or min(word.confidence for word in words) < SURE:
        return page
    moved = tuple(word.model_copy(update={"box": word.box.moved(max(0, left), max(0, top))}) for word in words)
    block = Block(paragraphs=(Paragraph(lines=(Line(words=moved, box=box),)),))
    at_head = box.top < page.height_mm / 2
    return page.model_copy(update={"blocks": (block, *page.blocks) if at_head else (*page.blocks, block)})


def _with_paper(box: BoxMm) -> tuple[float, float, float, float]:
    return box.left - AROUND_MM, box.top - AROUND_MM, box.right + AROUND_MM, box.bottom + AROUND_MM


def _of_strip(grey: Pixels, top: int, height: int, dpi: float, text: PageText) -> list[BoxMm]:
    ink = binarise(np.ascontiguousarray(grey[top : top + height]), dpi)
    high, wide = (2 * round(mm_to_px(gap / 2, dpi)) + 1 for gap in TOGETHER_MM)
    together = cv2.morphologyEx(ink.view(np.uint8), cv2.MORPH_CLOSE, np.ones((high, wide), np.uint8))
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(together, connectivity=8)
    inked_mm2 = np.bincount(labels[ink], minlength=len(boxes)) * px_to_mm(1, dpi) ** 2
    pieces = [_box(boxes[label], top, dpi) for label in range(1, len(boxes)) if inked_mm2[label] >= LEAST_INK_MM2]
    height_mm, width_mm = (px_to_mm(side, dpi) for side in grey.shape)
    alone = [
        box
        for box in pieces
        if _is_print(box, height_mm, width_mm) and not any(_shares_rows(box, line.box) for line in text.lines())
    ]
    return alone if len(alone) <= MOST else []


def _box(sides: NDArray[np.int32], top: int, dpi: float) -> BoxMm:
    left_px, top_px, wide_px, high_px = (int(side) for side in sides[:4])
    return BoxMm(
        left=px_to_mm(left_px, dpi),
        top=px_to_mm(top + top_px, dpi),
        right=px_to_mm(left_px + wide_px, dpi),
        bottom=px_to_mm(top + top_px + high_px, dpi),
    )


def _shares_rows(one: BoxMm, other: BoxMm) -> bool:
    return one.top < other.bottom and other.top < one.bottom


def _is_print(box: BoxMm, height_mm: float, width_mm: float) -> bool:
    inside = min(box.left, box.top, width_mm - box.right, height_mm - box.bottom) >= EDGE_MM
    least, most = HEIGHTS_MM
    return inside and least <= box.bottom - box.top <= most and box.right - box.left <= WIDEST_MM
