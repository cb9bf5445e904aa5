"""Shade in the paper itself, as of a fold: narrow valleys that run from top to bottom, print left out."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.ranks import level_of_rank
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

BAND_MM = 8.0
PAPER_SHARE = 0.8  # at most this share of a column within a band is darker than paper
AROUND_MM = 12.0


def valley_depths(grey: Pixels, dpi: float) -> tuple[NDArray[np.float32], int]:
    """Return how much darker each column is than the paper on both sides of it.

    Args:
        grey: (h, w), best at about 75 dpi.
        dpi: its resolution.

    Returns:
        Grey levels, (bands, w), for bands of rows; and how many rows a band has.
    """
    rows = max(1, min(round(mm_to_px(BAND_MM, dpi)), max(1, grey.shape[0] // 4)))
    bands = grey.shape[0] // rows
    at = round(PAPER_SHARE * (rows - 1))
    papers = np.array([level_of_rank(band, at) for band in np.split(grey[: bands * rows], bands)], np.float32)
    papers = np.asarray(cv2.GaussianBlur(papers, (0, 0), sigmaX=1.0, sigmaY=0.6), np.float32)
    size = max(2, round(mm_to_px(AROUND_MM, dpi)))
    reach = np.ones((1, size), np.uint8)
    left = cv2.dilate(papers, reach, anchor=(size - 1, 0), borderType=cv2.BORDER_REPLICATE)
    right = cv2.dilate(papers, reach, anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)
    depth = cv2.min(left, right) - papers
    return np.asarray(depth - np.median(depth, axis=1, keepdims=True), np.float32), rows
