"""Black borders along the edges of a bilevel scan: what a copier or a scanner shows beyond the sheet."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels, to_grey

MAX_DEPTH_MM = 15.0  # anything deeper is a picture or a field
LEAST_DEPTH_MM = 0.3
BESIDE_MM = 0.5  # specks between the edge and the border, and between the border and the paper
LEAST_SHARE = 0.25  # of the edge
LETTER_MM = 6.0  # half of a border is in longer pieces; letters that are cut off are shorter
BORDER_SHARE = 0.95  # of what is black along it; what reaches deeper is a picture, a field, or the border beside it
MOST_PERCENT = 99.5
GREY_SHARE = 0.02  # of the pixels of a bilevel scan at most, once it is shrunk
GREY_LEVELS = (48, 208)
BLACK_LEVEL = 128


def is_bilevel(scan: Pixels) -> bool:
    """Return whether a scan, grey or RGB at its own resolution, has black and white only, but for what JPEG blurs."""
    low, high = GREY_LEVELS
    thinned = max(1, scan.shape[1] // 3), max(1, scan.shape[0] // 3)
    some = to_grey(np.asarray(cv2.resize(scan, thinned, interpolation=cv2.INTER_NEAREST), np.uint8))
    return bool(((some > low) & (some < high)).mean() <= GREY_SHARE)


def black_borders_mm(grey: Pixels, dpi: float) -> NDArray[np.float64]:
    """Return how deep a black border reaches from each edge: top, right, bottom, left; 0 where there is none.

    Args:
        grey: a bilevel scan, (h, w).
        dpi: its resolution.
    """
    return np.array([_depth_mm(np.rot90(grey, turns), dpi) for turns in range(4)])


def _depth_mm(grey: Pixels, dpi: float) -> float:
    """Return how deep the border along the upper edge is."""
    deep, beside = round(mm_to_px(MAX_DEPTH_MM, dpi)), max(1, round(mm_to_px(BESIDE_MM, dpi)))
    black = grey[:deep] < BLACK_LEVEL
    black[:beside] |= black[:beside].any(axis=0)
    depth = np.logical_and.accumulate(black, axis=0).sum(axis=0)
    deep_enough = depth >= mm_to_px(LEAST_DEPTH_MM, dpi)
    border = deep_enough & (depth < len(black))
    if border.mean() < LEAST_SHARE or border.sum() < BORDER_SHARE * deep_enough.sum():
        return 0.0
    ends = np.flatnonzero(np.diff(np.concatenate([[False], border, [False]]).astype(np.int8)))
    lengths = ends[1::2] - ends[::2]
    if lengths[lengths > mm_to_px(LETTER_MM, dpi)].sum() < border.sum() / 2:
        return 0.0
    return px_to_mm(float(np.percentile(depth[border], MOST_PERCENT)), dpi) + BESIDE_MM
