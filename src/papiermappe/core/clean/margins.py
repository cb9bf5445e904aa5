"""The text block of a page: what has to lie at the same place on all pages of a booklet."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

RIM_MM = 3.0
LEAST_MM = 1.0  # a row or column with less ink is not of the block
LEAST_FOOT_MM = 0.4  # of its last row: a page number may be a single 1
BLOCK_ROWS = 5  # at least this many rows of print begin at the left margin
LINE_MM = 4.0
EDGE_SHARE = 0.4  # of the ink of the fullest row of a line: where its letters begin, whether or not some reach higher
UPRIGHT_MM = 18.0  # whatever is as high in one piece is no print: the shadow of a fold, a rule


class TextBlock(NamedTuple):
    """Where the print of a page lies, in mm from its top left."""

    left_mm: float
    """Where most lines begin."""
    top_mm: float
    right_mm: float
    bottom_mm: float


def find_text_block(page: Pixels | View, dpi: float) -> TextBlock | None:
    """Return where the print of a page lies; None where there is none.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8, upright and straight.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(page, dpi)
    ink, work_dpi = _print(view), view.dpi
    least = mm_to_px(LEAST_MM, work_dpi)
    in_rows, in_columns = ink.sum(axis=1), ink.sum(axis=0)
    rows, columns = np.flatnonzero(in_rows >= least), np.flatnonzero(in_columns >= least)
    if len(rows) < 2 or len(columns) < 2:
        return None
    line = round(mm_to_px(LINE_MM, work_dpi))
    top, bottom = int(rows[0]), int(np.flatnonzero(in_rows >= mm_to_px(LEAST_FOOT_MM, work_dpi))[-1])
    top += _edge(in_rows[top : top + line])
    bottom -= _edge(in_rows[max(0, bottom - line + 1) : bottom + 1][::-1])
    edges = _left(ink, columns), float(top), float(columns[-1] + 1), float(bottom + 1)
    return TextBlock(*(round(px_to_mm(edge, work_dpi), 2) for edge in edges))


def _print(view: View) -> NDArray[np.uint8]:
    """Return the ink of a page, (h, w), without specks and what stands upright in one piece, and not near its rim."""
    ink = view.ink.copy()
    rim = round(mm_to_px(RIM_MM, view.dpi))
    ink[:rim] = ink[-rim:] = 0
    ink[:, :rim] = ink[:, -rim:] = 0
    upright = np.ones((max(2, round(mm_to_px(UPRIGHT_MM, view.dpi))), 1), np.uint8)
    bars = cv2.dilate(cv2.morphologyEx(ink, cv2.MORPH_OPEN, upright), np.ones((3, 5), np.uint8))
    ink[np.asarray(bars, np.bool_)] = 0
    return np.asarray(cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)), np.uint8)


def _edge(of_line: NDArray[np.int64]) -> int:
    """Return how many rows of a line lie before its letters are as full as where they begin."""
    return int(np.argmax(of_line >= EDGE_SHARE * of_line.max()))


def _left(ink: NDArray[np.uint8], columns: NDArray[np.intp]) -> float:
    """Return the column at which most lines of print begin; a few that are indented or stick out do not count."""
    inked = ink.any(axis=1)
    begins = ink.argmax(axis=1)[inked]
    near = np.bincount(begins, minlength=ink.shape[1] + 4)
    together = np.convolve(near, np.ones(5), mode="same")
    if together.max() < BLOCK_ROWS:
        return float(columns[0])
    return float(np.flatnonzero(together >= 0.5 * together.max())[0])
