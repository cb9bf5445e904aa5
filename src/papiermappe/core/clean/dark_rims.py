"""Dark rims along the edges of a scan: what lies beyond the sheet, where it cannot be cut away as a whole.

A rim is dark, in one piece from the edge inwards, long beside how deep it is, and has nothing printed in it. Each is
described by strips along its edge whose depth follows it, so that thick, thin, slanting and ragged ones can be wiped
without the print beside them.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.rim_crumbs import is_ragged, with_crumbs
from papiermappe.core.clean.rim_depths import BEYOND_MM, DEEPEST_MM, TOOTH_LONG_MM, rim_depth, stretches
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import Point, Quad, mm_to_px
from papiermappe.core.picture import Pixels

DARK_SHARE = 0.5  # of the brightness of paper, below which something is dark
PAPER_PERCENT = 85
THINS_OUT_MM = 8.0  # along its edge, beyond where it is seen
CLOSE_MM = 1.2  # how closely it follows, on average
SHORTEST_MM, FINEST_MM = 3.0, 1.0  # strips, and those beside print
INK_MM2 = 0.4  # of something else, from which on a strip is too deep
WELL_BEYOND_MM = 12.0
PRINT_BEYOND_MM = 0.9  # what reaches so far beyond an even rim is print that touches it
PRINT_WEIGHT = 5  # of a pixel of such print, against one of something else


def find_dark_rims(scan: Pixels | View, dpi: float) -> list[Quad]:
    """Return outlines of the dark rims along the edges of a scan, in mm on it, clear of what is printed.

    Args:
        scan: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(scan, dpi)
    dark = view.grey < DARK_SHARE * float(np.percentile(view.grey[::4, ::4], PAPER_PERCENT))
    depths = [rim_depth(np.rot90(dark, turns), view.dpi) for turns in range(4)]  # each edge in turn lies at the top
    if not any(depth.any() for depth in depths):
        return []
    other = dark.copy()
    for turns, depth in enumerate(depths):
        part = np.rot90(other, turns)[: round(mm_to_px(DEEPEST_MM, view.dpi)) + 2]
        part[np.arange(len(part))[:, None] <= np.where(depth > 0, depth, -1)[None, :]] = False
    depths = [with_crumbs(depth, np.rot90(other, turns), view.dpi) for turns, depth in enumerate(depths)]
    return [
        _turned_back(strip, turns, dark.shape, view.dpi)
        for turns, depth in enumerate(depths)
        for strip in _along_edge(depth, np.rot90(other, turns), view.dpi)
    ]


def _along_edge(depth: NDArray[np.float64], other: NDArray[np.bool_], dpi: float) -> list[list[Point]]:
    """Return the strips, in px, of the rim along the upper edge."""
    if not depth.any():
        return []
    weights = _weights(depth, other, dpi)
    return [strip for first, last in stretches(depth) for strip in _with_ends(depth, weights, first, last, dpi)]


def _weights(depth: NDArray[np.float64], other: NDArray[np.bool_], dpi: float) -> NDArray[np.uint8]:
    """Return (rows that strips may reach, w): how much each pixel counts that would be wiped with the rim.

    Print that reaches in from a rim counts more than what else is dark, and so does its lighter fringe: a corner of a
    letter is not to be lost. Shorter pieces may be what is left of the rim, and beside a ragged one its teeth.
    """
    # a strip reaches no deeper, and what runs on below this is print in any case
    reach = min(round(mm_to_px(2 * DEEPEST_MM, dpi)), round(2 * depth.max() + mm_to_px(WELL_BEYOND_MM, dpi)))
    part = other[:reach]
    weights = part.astype(np.uint8)
    count, labels = cv2.connectedComponents(weights, connectivity=8)
    least_px = mm_to_px(1, dpi) * np.where(is_ragged(depth, dpi), TOOTH_LONG_MM, PRINT_BEYOND_MM)
    rows, columns = np.nonzero(part)
    reaches_in = rows >= (depth + least_px)[columns]
    if not reaches_in.any():
        return weights
    is_printed = np.zeros(count, np.uint8)
    is_printed[labels[rows[reaches_in], columns[reaches_in]]] = 1
    fringed = cv2.dilate(is_printed[labels], np.ones((3, 3), np.uint8)) > 0
    in_rim = np.arange(len(part), dtype=np.int16)[:, None] < np.ceil(depth).astype(np.int16)[None, :]
    weights[fringed & ~in_rim] = PRINT_WEIGHT
    return weights


def _with_ends(
    depth: NDArray[np.float64], weights: NDArray[np.uint8], first: int, last: int, dpi: float
) -> list[list[Point]]:
    """Return the strips of a stretch, and one at each of its ends, where it thins out to less than a pixel."""
    strips = _strips(depth, weights, first, last, dpi)
    beyond, along = mm_to_px(BEYOND_MM, dpi), round(mm_to_px(THINS_OUT_MM, dpi))
    limit = INK_MM2 * mm_to_px(1, dpi) ** 2
    before, behind = max(0, first - along), min(len(depth), last + along)
    for start, end, deep in (
        (before, first, (beyond, float(depth[first]) + beyond)),
        (last, behind, (float(depth[last - 1]) + beyond, beyond)),
    ):
        if strips and end > start and _ink_under(weights, start, np.linspace(*deep, end - start)) <= limit:
            strips.append(_outline(start, end, *deep))
    return strips


def _strips(
    depth: NDArray[np.float64], weights: NDArray[np.uint8], first: int, last: int, dpi: float
) -> list[list[Point]]:
    """Return strips, in px, that hold a stretch of a rim and nothing else; none where something else is too near.

    One strip where a straight line follows the rim closely; otherwise of each half by itself.
    """
    own = depth[first:last]
    at = np.arange(len(own))
    slope, start = np.polyfit(at, own, 1) if len(own) > 1 else (0.0, own[0])
    over = float((own - slope * at - start).max())
    beyond = mm_to_px(BEYOND_MM, dpi)
    ends = start + over + beyond, start + slope * (len(own) - 1) + over + beyond
    line = np.linspace(*ends, len(own))
    inside = _ink_under(weights, first, line)
    is_short, is_finest = (len(own) <= max(1.0, mm_to_px(mm, dpi)) for mm in (SHORTEST_MM, FINEST_MM))
    limit = INK_MM2 * mm_to_px(1, dpi) ** 2 * min(1.0, len(own) / mm_to_px(SHORTEST_MM, dpi))
    if inside <= limit and (is_short or float((line - own).mean()) <= beyond + mm_to_px(CLOSE_MM, dpi)):
        return [_outline(first, last, *ends)]
    # At best with the pixel in which the rim is blurred; beside print that it meets, only as far as all of it reaches.
    deepest, least = float(own.max()), float(own.min())
    may_be_deep = (deepest + 0.5, deepest - 0.5, least - 0.5) if is_finest else (deepest + 0.5,) if is_short else ()
    for deep in may_be_deep:
        if _ink_under(weights, first, np.full(len(own), deep)) <= limit:
            return [_outline(first, last, deep, deep)]
    if is_finest:
        return []
    middle = (first + last) // 2
    halves = (first, middle), (middle, last)
    return [strip for half in halves for strip in _strips(depth, weights, *half, dpi)]


def _ink_under(weights: NDArray[np.uint8], first: int, line: NDArray[np.float64]) -> int:
    """Return how much of something else lies between the edge and a line, in pixels."""
    deep = int(np.ceil(line.max()))
    part = weights[:deep, first : first + len(line)]
    return int(part[np.arange(len(part))[:, None] < line[None, :]].sum())


def _outline(first: int, last: int, left_deep: float, right_deep: float) -> list[Point]:
    out = 4.0  # also what lies beyond the edge, once the page is turned to be straight
    return [(first - 0.5, -out), (last + 0.5, -out), (last + 0.5, right_deep), (first - 0.5, left_deep)]


def _turned_back(strip: list[Point], turns: int, shape: tuple[int, ...], dpi: float) -> Quad:
    """Return a strip, found on the scan turned by quarters counter-clockwise, in mm on the scan as it is."""
    height, width = shape
    placed = strip
    for turn in range(turns, 0, -1):
        wide = width if turn % 2 else height  # of the scan before this quarter turn
        placed = [(wide - y, x) for x, y in placed]
    first, second, third, fourth = ((round(x / dpi * 25.4, 2), round(y / dpi * 25.4, 2)) for x, y in placed)
    return first, second, third, fourth
