"""Margins: where the text block of a page begins, and moving all pages so that it begins at the same place."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels

RIM_MM = 3.0
LEAST_MM = 1.0  # the block begins at the first row or column with this much ink
BLOCK_ROWS = 5  # at least this many lines of print begin at the left margin


class Margins(NamedTuple):
    """Where a text block begins."""

    left_mm: float
    top_mm: float


class Shift(NamedTuple):
    """How far a page is moved, right and down positive."""

    x_mm: float
    y_mm: float


def find_margins(page: Pixels | View, dpi: float) -> Margins | None:
    """Return where the text block of a page begins; None where there is no print. Raises PictureRefused."""
    view = view_of(page, dpi)
    ink, work_dpi = view.ink.copy(), view.dpi
    rim = round(mm_to_px(RIM_MM, work_dpi))
    ink[:rim] = ink[-rim:] = 0
    ink[:, :rim] = ink[:, -rim:] = 0
    ink = np.asarray(cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)), np.uint8)
    least = mm_to_px(LEAST_MM, work_dpi)
    rows = np.flatnonzero(ink.sum(axis=1) >= least)
    if len(rows) < 2:
        return None
    left_px = _left(ink, least)
    return None if left_px is None else Margins(px_to_mm(left_px, work_dpi), px_to_mm(float(rows[0]), work_dpi))


def _left(ink: NDArray[np.uint8], least: float) -> float | None:
    """Return the column at which most lines of print begin; a few that are indented or stick out do not count."""
    columns = np.flatnonzero(ink.sum(axis=0) >= least)
    if not len(columns):
        return None
    inked = ink.any(axis=1)
    begins = ink.argmax(axis=1)[inked]
    near = np.bincount(begins, minlength=ink.shape[1] + 4)
    together = np.convolve(near, np.ones(5), mode="same")
    return (
        float(np.flatnonzero(together >= 0.5 * together.max())[0])
        if together.max() >= BLOCK_ROWS
        else float(columns[0])
    )


def align_margins(pages: Sequence[Pixels], dpi: float) -> list[Shift]:
    """Return how to shift each page so that all text blocks share the left and top margin that most pages have.

    Args:
        pages: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: of all of them.

    Returns:
        A shift for each; none for pages without print.

    Raises:
        PictureRefused: one is not such a picture.
    """
    margins = [find_margins(page, dpi) for page in pages]
    known = np.array([margin for margin in margins if margin is not None])
    if not len(known):
        return [Shift(0.0, 0.0) for _ in pages]
    left_mm, top_mm = (float(value) for value in np.median(known, axis=0))
    return [
        Shift(0.0, 0.0) if margin is None else Shift(left_mm - margin.left_mm, top_mm - margin.top_mm)
        for margin in margins
    ]
