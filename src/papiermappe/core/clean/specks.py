"""Specks: small dots that stand alone, taken out of the page."""

from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import even_paper, paper_cells
from papiermappe.core.clean.pieces import label_boxes
from papiermappe.core.clean.tone import ink_on
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, to_grey, written_to

SPECK_MM = 0.4
ALONE_MM = 1.5
BLOCK_PX = 8


def despeckle(
    page: NDArray[np.bool_] | Pixels,
    dpi: float,
    max_mm: float = SPECK_MM,
    out: Pixels | None = None,
    paper_level: int | None = None,
) -> NDArray[np.bool_] | Pixels:
    """Return the page without specks: small dots that stand alone.

    A dot near other ink (of an i, a full stop) stays.

    Args:
        page: bilevel (h, w) bool, grey (h, w) or RGB (h, w, 3) uint8.
        dpi: its resolution.
        max_mm: the longest side of a speck.
        out: where a page in grey or colour is written, of the same shape; it may be `page` itself. None: a new picture.
        paper_level: of all paper on a page in grey or colour, where it is even and known. None: it is looked for.

    Returns:
        Of the page's own kind; in grey and colour, specks are filled with the paper around them.

    Raises:
        PictureRefused: not such a picture.
    """
    if isinstance(page, np.ndarray) and page.dtype == np.bool_ and page.ndim == 2:
        rows, cols = _speck_places(page.astype(np.uint8), dpi, max_mm, rim_px=0)
        bilevel = page.copy()
        bilevel[rows, cols] = False
        return bilevel
    picture = checked(cast(Pixels, page), dpi)
    paper = paper_cells(picture, dpi) if paper_level is None else even_paper(paper_level, picture.shape[2:])
    ink = ink_on(to_grey(picture), dpi, paper.grey)
    rows, cols = _speck_places(ink.view(np.uint8), dpi, max_mm, rim_px=1)
    height, width = picture.shape[:2]
    down, across = paper.colour.shape[:2]
    clean = written_to(picture, out)
    clean[rows, cols] = paper.colour[rows * down // height, cols * across // width]
    return clean


def _speck_places(ink: Pixels, dpi: float, max_mm: float, rim_px: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return rows and columns of all pixels of specks, and of those within `rim_px` around them.

    Args:
        ink: (h, w), 1 = ink.
        dpi: its resolution.
        max_mm: the longest side of a speck.
        rim_px: 0 or 1.
    """
    count, found = cv2.connectedComponents(ink, connectivity=8, ltype=cv2.CV_32S)
    labels = np.ascontiguousarray(found, np.int32)
    boxes = label_boxes(labels, count)
    longest = np.maximum(boxes[1] - boxes[0], boxes[3] - boxes[2])
    is_small = longest <= max(1.0, mm_to_px(max_mm, dpi))
    is_small[0] = False
    if not is_small.any():
        nowhere = np.zeros(0, np.int64)
        return nowhere, nowhere
    places = _places(labels, boxes, is_small, round(mm_to_px(ALONE_MM, dpi)), rim_px)
    return places[:, 0], places[:, 1]


@compiled("b1[:, ::1](i4[:, ::1], b1[::1])")
def _blocks_with_other(labels: NDArray[np.int32], is_small: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return in which blocks of `BLOCK_PX` other ink lies."""
    height, width = labels.shape
    has_other = np.zeros(((height + BLOCK_PX - 1) // BLOCK_PX, (width + BLOCK_PX - 1) // BLOCK_PX), np.bool_)
    for row in range(height):
        for col in range(width):
            label = labels[row, col]
            if label and not is_small[label]:
                has_other[row // BLOCK_PX, col // BLOCK_PX] = True
    return has_other


@compiled("b1(i4[:, ::1], b1[::1], b1[:, ::1], i8, i8, i8, i8)")
def _has_other(
    labels: NDArray[np.int32],
    is_small: NDArray[np.bool_],
    blocks: NDArray[np.bool_],
    left: int,
    right: int,
    top: int,
    bottom: int,
) -> bool:
    """Whether other ink lies in a box; only blocks in which there is some are looked through."""
    for block_row in range(top // BLOCK_PX, (bottom - 1) // BLOCK_PX + 1):
        for block_col in range(left // BLOCK_PX, (right - 1) // BLOCK_PX + 1):
            if not blocks[block_row, block_col]:
                continue
            for row in range(max(top, block_row * BLOCK_PX), min(bottom, (block_row + 1) * BLOCK_PX)):
                for col in range(max(left, block_col * BLOCK_PX), min(right, (block_col + 1) * BLOCK_PX)):
                    label = labels[row, col]
                    if label and not is_small[label]:
                        return True
    return False


@compiled("b1(i4[:, ::1], i8, i8, i8, i8)")
def _touches(labels: NDArray[np.int32], row: int, col: int, label: int, rim_px: int) -> bool:
    """Whether a pixel of a piece lies within `rim_px` of a place."""
    for down in range(max(0, row - rim_px), min(labels.shape[0], row + rim_px + 1)):
        for across in range(max(0, col - rim_px), min(labels.shape[1], col + rim_px + 1)):
            if labels[down, across] == label:
                return True
    return False


@compiled("i8[:, ::1](i4[:, ::1], i4[:, ::1], b1[::1], i8, i8)")
def _places(
    labels: NDArray[np.int32], boxes: NDArray[np.int32], is_small: NDArray[np.bool_], reach_px: int, rim_px: int
) -> NDArray[np.int64]:
    """Return `(row, col)` of the pixels of small pieces without other ink within `reach_px`, (n, 2)."""
    height, width = labels.shape
    blocks = _blocks_with_other(labels, is_small)
    wide, high = boxes[1] - boxes[0] + 2 * rim_px, boxes[3] - boxes[2] + 2 * rim_px
    places = np.empty((np.sum(wide[is_small] * high[is_small]), 2), np.int64)
    filled = 0
    for label in np.flatnonzero(is_small):
        left, right, top, bottom = boxes[0, label], boxes[1, label], boxes[2, label], boxes[3, label]
        near = (
            max(0, left - reach_px),
            min(width, right + reach_px),
            max(0, top - reach_px),
            min(height, bottom + reach_px),
        )
        if _has_other(labels, is_small, blocks, *near):
            continue
        for row in range(max(0, top - rim_px), min(height, bottom + rim_px)):
            for col in range(max(0, left - rim_px), min(width, right + rim_px)):
                if _touches(labels, row, col, int(label), rim_px):
                    places[filled, 0], places[filled, 1] = row, col
                    filled += 1
    return places[:filled].copy()
