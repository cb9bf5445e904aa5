"""Dark rims along the edges of a scan: what lies beyond the sheet, where it cannot be cut away as a whole.

A rim is dark, in one piece from the edge inwards, long beside how deep it is, and has nothing printed in it. Each is
described by strips along its edge whose depth follows it, so that thick, thin, slanting and ragged ones can be wiped
without the print beside them.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.rim_crumbs import is_ragged, with_crumbs
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import Point, Quad, mm_to_px
from papiermappe.core.picture import Pixels

DARK_SHARE = 0.5  # of the brightness of paper, below which something is dark
PAPER_PERCENT = 85
AT_EDGE_MM = 0.8  # a rim begins no farther from the edge
GAP_MM = 0.6  # specks of light in a rim
DEEPEST_MM = 28.0  # whatever reaches deeper is a picture
LEAST_LENGTH_MM = 9.0  # along its edge; letters that are cut off, holes and rules are shorter
LEAST_DEPTH_MM = 0.15
RULE_MM = 0.7  # whatever sticks out of a rim and is narrower is a rule that runs into it
TOOTH_WIDE_MM, TOOTH_LONG_MM = 3.0, 2.5  # what is narrower is a tooth of a ragged rim if it is shorter, or else print
CORNER_MM = 12.0
STEP_MM, STEP_ALONG_MM, STEP_EVERY_MM = 0.4, 40.0, 1.5  # what stands out so far from an even rim is not of it
BEYOND_MM = 0.8  # how far a strip reaches beyond the rim
THINS_OUT_MM = 8.0  # along its edge, beyond where it is seen
CLOSE_MM = 1.2  # how closely it follows, on average
SHORTEST_MM = 3.0
INK_MM2 = 0.4  # of something else, from which on a strip is too deep
PRINT_BEYOND_MM = 0.9  # what reaches so far beyond an even rim is print that touches it
PRINT_WEIGHT = 5  # of a pixel of such print, against one of something else
LETTERS = 4  # light shapes in a rim, from which on it is a printed field
LETTER_MM2 = (0.5, 60.0)


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
    depths = [_depth(np.rot90(dark, turns), view.dpi) for turns in range(4)]  # each edge in turn lies at the top
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
    return [strip for first, last in _stretches(depth) for strip in _with_ends(depth, weights, first, last, dpi)]


def _weights(depth: NDArray[np.float64], other: NDArray[np.bool_], dpi: float) -> NDArray[np.uint8]:
    """Return (rows that strips may reach, w): how much each pixel counts that would be wiped with the rim.

    Print that reaches into an even rim counts more than what else is dark, and so does its lighter fringe: a corner of
    a letter is not to be lost. Shorter pieces may be what is left of the rim.
    """
    part = other[: round(mm_to_px(2 * DEEPEST_MM, dpi))]
    weights = part.astype(np.uint8)
    count, labels = cv2.connectedComponents(weights, connectivity=8)
    beyond_px = np.arange(len(part))[:, None] - depth[None, :]
    is_printed = np.zeros(count, np.uint8)
    is_printed[labels[beyond_px >= mm_to_px(PRINT_BEYOND_MM, dpi)]] = 1
    is_printed[labels[:, is_ragged(depth, dpi)]] = 0
    is_printed[0] = 0  # the paper
    fringed = cv2.dilate(is_printed[labels], np.ones((3, 3), np.uint8)) > 0
    weights[fringed & (beyond_px >= 0)] = PRINT_WEIGHT
    return weights


def _depth(dark: NDArray[np.bool_], dpi: float) -> NDArray[np.float64]:
    """Return in px how deep the rim along the upper edge is in each column; 0 where there is none."""
    at_edge, gap = (max(1, round(mm_to_px(mm, dpi))) for mm in (AT_EDGE_MM, GAP_MM))
    reach = min(round(mm_to_px(DEEPEST_MM, dpi)) + 1, len(dark))
    part = dark[:reach].copy()
    part[:at_edge] |= part[:at_edge].any(axis=0)
    closed = cv2.morphologyEx(part.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((gap + 1, 1), np.uint8))
    depth = np.logical_and.accumulate(closed > 0, axis=0).sum(axis=0).astype(np.float32)
    only_specks = dark[:at_edge].sum(axis=0) < min(at_edge, mm_to_px(LEAST_DEPTH_MM, dpi))
    depth[(depth <= at_edge) & only_specks] = 0
    teeth = mm_to_px(TOOTH_LONG_MM, dpi)
    depth = _into_corners(depth, reach, round(mm_to_px(CORNER_MM, dpi)), teeth)
    joined = np.asarray(cv2.morphologyEx(depth[None, :], cv2.MORPH_CLOSE, np.ones((1, gap + 1), np.uint8)), np.float32)
    toothed, body = (_without_peaks(joined, mm_to_px(wide_mm, dpi)) for wide_mm in (RULE_MM, TOOTH_WIDE_MM))
    ragged = is_ragged(toothed, dpi)
    rim = np.where(ragged, body, _without_steps(body, dpi))
    smooth = np.minimum(toothed, np.where(rim > 0, rim + np.where(ragged, teeth, 0), 0))
    for first, last in _stretches(smooth):
        window = part[: int(smooth[first:last].max()) + gap, first:last]
        if last - first < mm_to_px(LEAST_LENGTH_MM, dpi) or _is_printed(window, dpi):
            smooth[first:last] = 0
    return smooth


def _without_peaks(depth: NDArray[np.float32], wide_px: float) -> NDArray[np.float64]:
    """Return the depths, (1, w), without what is narrower, as (w,)."""
    reach = np.ones((1, max(2, round(wide_px))), np.uint8)
    return np.asarray(cv2.morphologyEx(depth, cv2.MORPH_OPEN, reach, borderType=cv2.BORDER_REPLICATE)[0], np.float64)


def _without_steps(depth: NDArray[np.float64], dpi: float) -> NDArray[np.float64]:
    """Return the depths without what stands out from a rim that is even elsewhere: a letter that touches it."""
    known = np.flatnonzero(depth > 0)
    if not len(known):
        return depth
    reach, apart = round(mm_to_px(STEP_ALONG_MM / 2, dpi)), max(1, round(mm_to_px(STEP_EVERY_MM, dpi)))
    rim = depth[known]
    places = np.arange(0, len(rim) + apart, apart)
    usual = [float(np.median(rim[max(0, at - reach) : at + reach])) for at in np.minimum(places, len(rim) - 1)]
    smooth = np.interp(np.arange(len(rim)), places, usual)
    even = depth.copy()
    even[known] = np.where(rim > smooth + mm_to_px(STEP_MM, dpi), smooth, rim)
    return even


def _into_corners(depth: NDArray[np.float32], reach: int, beside: int, teeth: float) -> NDArray[np.float32]:
    """Return the depths with those of corners, where the rim along the edge beside lies below, as deep as beside them.

    Elsewhere, whatever reaches as deep as is looked is no rim.
    """
    known = np.flatnonzero((depth > 0) & (depth < reach))
    clean = np.where(depth < reach, depth, np.float32(0))
    if not len(known):
        return clean
    first, last = int(known[0]), int(known[-1]) + 1
    for corner, near in (
        (slice(0, first), slice(first, first + beside)),
        (slice(last, None), slice(max(0, last - beside), last)),
    ):
        if 0 < len(depth[corner]) <= reach and (depth[corner] >= reach).all():
            usual = np.median(depth[near][depth[near] > 0])
            clean[corner] = usual
            # a slanting rim beside is deeper where it begins
            clean[near] = np.where(clean[near] > usual + teeth, usual, clean[near])
    return clean


def _is_printed(window: NDArray[np.bool_], dpi: float) -> bool:
    """Whether light shapes stand in the dark piece along the upper edge, as letters do in a printed field.

    The bays of a ragged rim are none, as they are open to the page, nor is what print beside it encloses.
    """
    _, labels = cv2.connectedComponents(window.astype(np.uint8), connectivity=8)
    rim = np.isin(labels, labels[0][window[0]])
    _, _, stats, _ = cv2.connectedComponentsWithStats((~rim).astype(np.uint8), connectivity=4)
    left, top, width, height, area = stats[1:].T
    enclosed = (left > 0) & (top > 0) & (left + width < window.shape[1]) & (top + height < window.shape[0])
    low, high = (size * mm_to_px(1, dpi) ** 2 for size in LETTER_MM2)
    return int((enclosed & (area >= low) & (area <= high)).sum()) >= LETTERS


def _stretches(depth: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Return where a rim begins and ends along its edge."""
    ends = np.flatnonzero(np.diff(np.concatenate([[False], depth > 0, [False]]).astype(np.int8)))
    return list(zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True))


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
    is_short = len(own) <= mm_to_px(SHORTEST_MM, dpi)
    limit = INK_MM2 * mm_to_px(1, dpi) ** 2
    if inside <= limit and (is_short or float((line - own).mean()) <= beyond + mm_to_px(CLOSE_MM, dpi)):
        return [_outline(first, last, *ends)]
    if not is_short:
        middle = (first + last) // 2
        halves = (first, middle), (middle, last)
        return [strip for half in halves for strip in _strips(depth, weights, *half, dpi)]
    # At best with the pixel in which the rim is blurred; beside print that it meets, only as far as all of it reaches.
    for tight in (float(own.max()) + 0.5, float(own.max()) - 0.5, float(own.min()) - 0.5):
        if _ink_under(weights, first, np.full(len(own), tight)) <= limit:
            return [_outline(first, last, tight, tight)]
    return []


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
