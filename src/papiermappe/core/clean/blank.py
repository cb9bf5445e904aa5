"""Whether a page carries anything that a person put there.

A false alarm costs a key press; a false "blank" costs a page. What shines through from the back, dust, punch holes,
edge shadows and folds are soft, small, round or at the rim; a mark is sharp, and larger than a speck.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.pieces import Boxes
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

PLENTY_MM2 = 150.0  # more dark ink than dust and dust lines can amount to
PLAIN_LEVELS = 60
FAINT_LEVELS = 11  # the outline of a mark is darker than the paper by this
DARK_LEVELS = 20  # its core is darker by this...
SHARP_LEVELS = 26  # ...and there the brightness changes by this within three pixels at 150 dpi
FAINT_DEPTH = 14
FAINT_EDGES = 1200  # half a line of print has more
FAINT_SHARPNESS = 0.66  # what shines through has up to 0.55, faint print 0.75 and more
HALF = 0.45  # a mark extends to where it is this share as dark as at its darkest
NEAR_PX = 9
HEART_PX = 5
SPECK_MM = 1.1
RIM_MM = 3.0
EDGE_MM = 0.8  # a rim in which the backing may still show
HOLE_MM = (3.5, 9.0)
ROUND_SHARE = 0.8
LINE_LEVELS = 3
MAX_LINES_SHARE = 0.1
LINE_MM = 0.8  # a dust line is at most this wide
LINE_SHARE = 0.3  # its pieces together cover at least this share of the page's height


class BlankEstimate(NamedTuple):
    """Whether a page is blank."""

    is_blank: bool
    confidence: float
    """0 to 1; below 0.5 the answer is a guess."""


def judge_blank(page: Pixels | View, dpi: float) -> BlankEstimate:
    """Judge whether a page is blank apart from show-through, dust, holes and shadows at the rim.

    Args:
        page: the sheet without its backing, grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(page, dpi)
    if _ink_mm2(view) > PLENTY_MM2:
        return BlankEstimate(False, 1.0)
    soft = np.asarray(cv2.GaussianBlur(view.grey, (0, 0), 0.7), np.uint8)
    darker = _without_dust_lines(np.asarray(cv2.subtract(view.grey_paper, soft), np.uint8))
    edge = max(1, round(mm_to_px(EDGE_MM, view.dpi)))
    darker[:edge] = darker[-edge:] = 0
    darker[:, :edge] = darker[:, -edge:] = 0
    if _is_faint_print(darker, soft, view.dpi):
        return BlankEstimate(False, 0.7)
    weight = _heaviest_mark(darker, soft, view.dpi)
    if weight >= 1.0:
        return BlankEstimate(False, float(np.clip(weight / 2, 0.5, 1.0)))
    return BlankEstimate(True, 1.0 - weight / 2)


def _ink_mm2(view: View) -> float:
    """Return the area of plainly dark ink; holes and borders, which are thick, do not count."""
    rim = round(mm_to_px(RIM_MM, view.dpi))
    inner = slice(rim, -rim), slice(rim, -rim)
    plain = (view.darker[inner] > PLAIN_LEVELS) & (view.ink[inner] > 0)
    return float(np.count_nonzero(plain)) / mm_to_px(1, view.dpi) ** 2


def _is_faint_print(darker: Pixels, soft: Pixels, dpi: float) -> bool:
    """Return whether there is much that is faint, but sharp: paper spreads what shines through it, not its own print.

    Each edge of a mark is held against how dark the mark is there; of print, most of the way falls within three pixels.
    """
    rim = round(mm_to_px(RIM_MM, dpi))
    inner = slice(rim, -rim), slice(rim, -rim)
    depth = cv2.dilate(darker, np.ones((NEAR_PX, NEAR_PX), np.uint8))[inner]
    steep = np.asarray(cv2.morphologyEx(soft, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)), np.uint8)
    crest = (steep >= cv2.dilate(steep, np.ones((5, 5), np.uint8)))[inner]
    edges = crest & (depth >= FAINT_DEPTH) & (depth < PLAIN_LEVELS)
    if np.count_nonzero(edges) < FAINT_EDGES:
        return False
    return float(np.median(steep[inner][edges] / depth[edges])) >= FAINT_SHARPNESS


def _without_dust_lines(darker: Pixels) -> Pixels:
    """Clear the columns that are darker than those beside them over most of the page."""
    common = np.median(darker[::4], axis=0).astype(np.float32)[None]
    lines = common - cv2.erode(common, np.ones((1, 9), np.uint8)) > LINE_LEVELS
    if not lines.any() or lines.mean() > MAX_LINES_SHARE:
        return darker.copy()
    cleared = darker.copy()
    cleared[:, cv2.dilate(lines.astype(np.uint8), np.ones((1, 3), np.uint8))[0] > 0] = 0
    return cleared


def _heaviest_mark(darker: Pixels, soft: Pixels, dpi: float) -> float:
    """Return how much the plainest mark stands out: from 1 on it is one."""
    darkest_near = cv2.dilate(darker, np.ones((NEAR_PX, NEAR_PX), np.uint8))
    reach = (darker > FAINT_LEVELS) & (darker >= cv2.convertScaleAbs(darkest_near, alpha=HALF))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(reach.astype(np.uint8), connectivity=8)
    if count == 1:
        return 0.0
    steep = cv2.morphologyEx(soft, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    heart = reach & (darker >= DARK_LEVELS) & (steep >= SHARP_LEVELS)
    hearts = np.bincount(labels[heart], minlength=count)[1:]
    left, top, width, height = stats[1:, :4].T.astype(np.float64)
    boxes = Boxes(left, left + width, top, top + height)
    plain = np.minimum(hearts / HEART_PX, boxes.extent / mm_to_px(SPECK_MM, dpi))
    plain[_at_rim(boxes, darker.shape, dpi) | _dust_lines(boxes, darker.shape, dpi)] = 0
    for at in np.argsort(-plain):
        first_col, end_col, first_row, end_row = (int(side[at]) for side in boxes)
        piece = labels[first_row:end_row, first_col:end_col] == at + 1
        if plain[at] < 1.0 or boxes.extent[at] > mm_to_px(HOLE_MM[1], dpi) or not _is_hole(piece, dpi):
            return float(plain[at])
    return 0.0


def _at_rim(boxes: Boxes, shape: tuple[int, ...], dpi: float) -> NDArray[np.bool_]:
    """Return which boxes lie entirely within the rim of the page."""
    rim = mm_to_px(RIM_MM, dpi)
    across = (boxes.right <= rim) | (boxes.left >= shape[1] - rim)
    return np.asarray(across | (boxes.bottom <= rim) | (boxes.top >= shape[0] - rim), np.bool_)


def _dust_lines(boxes: Boxes, shape: tuple[int, ...], dpi: float) -> NDArray[np.bool_]:
    """Return which boxes are pieces of a thin line that runs down the page."""
    thin = (boxes.width <= mm_to_px(LINE_MM, dpi)) & (boxes.height >= 2 * boxes.width)
    middle = ((boxes.left + boxes.right) // 2).astype(np.intp) + 1
    lengths = np.zeros(shape[1] + 4)
    np.add.at(lengths, middle[thin], boxes.height[thin])
    together = np.convolve(lengths, np.ones(5), mode="same")
    long = together[middle] >= LINE_SHARE * shape[0]
    return np.asarray(thin & long, np.bool_)


def _is_hole(piece: NDArray[np.bool_], dpi: float) -> bool:
    """Tell a punched hole: a full disc, or the crescent of shadow at its rim."""
    hull = cv2.convexHull(cv2.findNonZero(piece.astype(np.uint8)))
    _, radius = cv2.minEnclosingCircle(hull)
    fits = mm_to_px(HOLE_MM[0], dpi) <= 2 * radius <= mm_to_px(HOLE_MM[1], dpi)
    return bool(fits and cv2.contourArea(hull) >= ROUND_SHARE * np.pi * radius**2)
