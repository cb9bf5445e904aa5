"""Light that comes in under a lid which does not lie flat: it brightens a glass towards its edges."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels, checked, to_grey

OUTER_MM = 5.0
INNER_MM = (22.0, 34.0)  # what a scanner's own light does over so little is much less than what a gap lets in
APART_MM = 5.0  # from an original, which throws a shadow
SEEN_SHARE = 0.2  # of an edge that must be free to judge it
LEAST_LEVELS = 9.0
AT_EDGE_MM, STRIP_MM, LONG_SHARE = 2.0, 60.0, 0.97


def stray_light(glass: Pixels, dpi: float, originals: Sequence[Quad]) -> bool:
    """Return whether light comes in at an edge of the glass, where nothing lies in front of it.

    A bright strip along an edge may have been taken for an original; it counts as glass.

    Args:
        glass: the whole of it, grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        originals: their corners, in mm.

    Raises:
        PictureRefused: not such a picture.

    >>> stray_light(np.full((300, 300), 210, np.uint8), 50.0, [])
    False
    """
    grey = to_grey(checked(glass, dpi)).astype(np.float32)
    size_mm = px_to_mm(grey.shape[1], dpi), px_to_mm(grey.shape[0], dpi)
    free = _free(grey.shape, dpi, [corners for corners in originals if not is_of_light(corners, size_mm)])
    return any(_brightening(np.rot90(grey, turns), np.rot90(free, turns), dpi) > LEAST_LEVELS for turns in range(4))


def is_of_light(corners: Quad, size_mm: tuple[float, float]) -> bool:
    """Return whether a box is no original, but the bright strip along an edge of the glass, or all beside that.

    Args:
        corners: of an upright box.
        size_mm: width and height of the glass.
    """
    box = np.array(corners)
    low, high = box.min(axis=0), box.max(axis=0)
    extent, size = high - low, np.array(size_mm)
    at_edge = (low < AT_EDGE_MM) | (high > size - AT_EDGE_MM)
    narrow = np.minimum(extent, size - extent) < STRIP_MM
    spans = extent > LONG_SHARE * size
    return bool((at_edge & narrow & spans[::-1]).any())


def _free(shape: tuple[int, ...], dpi: float, originals: Sequence[Quad]) -> NDArray[np.bool_]:
    """Return where nothing lies, nor near it."""
    covered = np.zeros(shape, np.uint8)
    for corners in originals:
        quad_px = np.rint([[mm_to_px(x, dpi), mm_to_px(y, dpi)] for x, y in corners]).astype(np.int32)
        cv2.fillConvexPoly(covered, quad_px, 1)
    reach = 2 * round(mm_to_px(APART_MM, dpi)) + 1
    return np.asarray(cv2.dilate(covered, np.ones((reach, reach), np.uint8)) == 0, bool)


def _brightening(grey: NDArray[np.float32], free: NDArray[np.bool_], dpi: float) -> float:
    """Return by how many levels the upper edge is brighter than what lies farther in; 0 where too little is seen."""
    outer = slice(0, max(1, round(mm_to_px(OUTER_MM, dpi))))
    inner = slice(*(round(mm_to_px(depth_mm, dpi)) for depth_mm in INNER_MM))
    seen = free[: inner.stop].all(axis=0)
    if inner.stop > len(grey) or seen.mean() < SEEN_SHARE:
        return 0.0
    return float(np.median(grey[outer, seen].mean(axis=0) - grey[inner, seen].mean(axis=0)))
