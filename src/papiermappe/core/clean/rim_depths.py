"""How deep a dark rim along an edge of a scan is in each column, without the print that touches it.

From even rims all is print that stands out. Ragged ones have teeth, so there it is what is larger, or joined to it.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.rim_crumbs import is_ragged
from papiermappe.core.geometry import mm_to_px

DEEPEST_MM = 28.0  # whatever reaches deeper is a picture
BEYOND_MM = 0.8  # how far what is wiped reaches beyond the rim
AT_EDGE_MM = 0.8  # a rim begins no farther from the edge
GAP_MM = 0.6  # specks of light in a rim
LEAST_LENGTH_MM = 9.0  # along its edge; letters that are cut off, holes and rules are shorter
LEAST_DEPTH_MM = 0.15
RULE_MM = 0.7  # whatever sticks out of a rim and is narrower is a rule that runs into it
TOOTH_WIDE_MM, TOOTH_LONG_MM = 3.0, 2.5  # what is narrower is a tooth of a ragged rim if it is shorter, or else print
BAYS_ALONG_MM = 10.0
LETTER_MM, LETTER_DEEP_MM = 6.0, 2.0  # along a rim, and from it, what is larger than its teeth
CORNER_MM = 12.0
STEP_MM, STEP_ALONG_MM, STEP_EVERY_MM = 0.4, 40.0, 1.5  # what stands out so far from an even rim is not of it
LETTERS = 4  # light shapes in a rim, from which on it is a printed field
LETTER_MM2 = (0.5, 60.0)


def rim_depth(dark: NDArray[np.bool_], dpi: float) -> NDArray[np.float64]:
    """Return in px how deep the rim along the upper edge is in each column, (w,); 0 where there is none.

    Args:
        dark: (h, w), of a scan.
        dpi: its resolution.

    >>> scan = np.zeros((400, 300), np.bool_)
    >>> scan[:30] = True
    >>> np.unique(rim_depth(scan, 150.0)).tolist()
    [30.0]
    """
    at_edge, gap = (max(1, round(mm_to_px(mm, dpi))) for mm in (AT_EDGE_MM, GAP_MM))
    if not dark[: at_edge + gap + 1].any():
        return np.zeros(dark.shape[1])
    reach = min(round(mm_to_px(DEEPEST_MM, dpi)) + 1, len(dark))
    part = dark[:reach].copy()
    part[:at_edge] |= part[:at_edge].any(axis=0)
    closed = cv2.morphologyEx(part.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((gap + 1, 1), np.uint8))
    depth = np.logical_and.accumulate(closed > 0, axis=0).sum(axis=0).astype(np.float32)
    only_specks = dark[:at_edge].sum(axis=0) < min(at_edge, mm_to_px(LEAST_DEPTH_MM, dpi))
    depth[(depth <= at_edge) & only_specks] = 0
    teeth = mm_to_px(TOOTH_LONG_MM, dpi)
    is_corner = depth >= reach
    depth = _into_corners(depth, reach, round(mm_to_px(CORNER_MM, dpi)), teeth)
    joined = np.asarray(cv2.morphologyEx(depth[None, :], cv2.MORPH_CLOSE, np.ones((1, gap + 1), np.uint8)), np.float32)
    toothed, body = (_without_peaks(joined, mm_to_px(wide_mm, dpi)) for wide_mm in (RULE_MM, TOOTH_WIDE_MM))
    ragged = is_ragged(toothed, dpi)
    rim = np.where(ragged, body, _without_steps(body, dpi))
    meets_print = ragged & _meets_print(part, toothed, is_corner, dpi) if ragged.any() else ragged
    rim = np.where(meets_print, np.minimum(rim, _bays(toothed, dpi)), rim) if meets_print.any() else rim
    smooth = np.minimum(toothed, np.where(rim > 0, rim + np.where(ragged & ~meets_print, teeth, 0), 0))
    for first, last in stretches(smooth):
        window = part[: int(smooth[first:last].max()) + gap, first:last]
        if last - first < mm_to_px(LEAST_LENGTH_MM, dpi) or _is_printed(window, dpi):
            smooth[first:last] = 0
    return smooth


def _without_peaks(depth: NDArray[np.float32], wide_px: float) -> NDArray[np.float64]:
    """Return the depths, (1, w), without what is narrower, as (w,)."""
    reach = np.ones((1, max(2, round(wide_px))), np.uint8)
    return np.asarray(cv2.morphologyEx(depth, cv2.MORPH_OPEN, reach, borderType=cv2.BORDER_REPLICATE)[0], np.float64)


def _meets_print(
    part: NDArray[np.bool_], depth: NDArray[np.float64], is_corner: NDArray[np.bool_], dpi: float
) -> NDArray[np.bool_]:
    """Return in which columns what stands out from a ragged rim may be print that runs into it.

    Such print, with what it is joined to, is larger than a tooth. All that stands out beside it may be of it: the stem
    of a letter that lies along the rim, or what is between its arms.
    """
    rows, stands_out = np.arange(len(part))[:, None], mm_to_px(STEP_MM, dpi)
    usual = np.where(depth > 0, _usual(depth, dpi), len(part))
    beyond = (part & (rows > usual[None, :] + stands_out)).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(beyond, connectivity=8)
    wide, high = stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]
    is_print = (wide > mm_to_px(LETTER_MM, dpi)) & (high > mm_to_px(LETTER_DEEP_MM, dpi))
    is_print |= high > mm_to_px(TOOTH_LONG_MM + BEYOND_MM, dpi)
    is_print[0] = False  # the paper
    is_print[labels[:, is_corner]] = False  # the rim along the edge beside
    met = np.zeros(len(depth), np.uint8)
    for number in np.unique(labels[is_print[labels] & (rows < depth[None, :])]):
        left = stats[number, cv2.CC_STAT_LEFT]
        met[left : left + wide[number]] = 1
    letter = np.ones((1, 2 * round(mm_to_px(LETTER_MM / 2, dpi)) + 1), np.uint8)
    return np.asarray((cv2.morphologyEx(met[None], cv2.MORPH_CLOSE, letter)[0] > 0) & (depth >= usual), np.bool_)


def _bays(depth: NDArray[np.float64], dpi: float) -> NDArray[np.float64]:
    """Return how deep the bays of a ragged rim are about each column: print may run into one, between two teeth."""
    seen = np.where(depth > 0, depth, np.inf).astype(np.float32)[None]
    near = np.ones((1, 2 * round(mm_to_px(BAYS_ALONG_MM / 2, dpi)) + 1), np.uint8)
    return np.asarray(cv2.erode(seen, near, borderType=cv2.BORDER_REPLICATE)[0], np.float64)


def _usual(depth: NDArray[np.float64], dpi: float) -> NDArray[np.float64]:
    """Return how deep the rim is on average about each column; 0 where there is none."""
    known = np.flatnonzero(depth > 0)
    usual = np.zeros(len(depth))
    if len(known):
        reach, apart = round(mm_to_px(STEP_ALONG_MM / 2, dpi)), max(1, round(mm_to_px(STEP_EVERY_MM, dpi)))
        rim = depth[known]
        places = np.arange(0, len(rim) + apart, apart)
        at = np.minimum(places, len(rim) - 1)
        beyond = np.full(reach, np.inf)
        windows = np.lib.stride_tricks.sliding_window_view(np.concatenate([beyond, rim, beyond]), 2 * reach)
        in_order = np.sort(windows[at], axis=1)
        count = np.minimum(at + reach, len(rim)) - np.maximum(at - reach, 0)
        middles = (
            np.take_along_axis(in_order, ((count - 1) // 2)[:, None], 1)
            + np.take_along_axis(in_order, (count // 2)[:, None], 1)
        )[:, 0] / 2
        usual[known] = np.interp(np.arange(len(rim)), places, middles)
    return usual


def _without_steps(depth: NDArray[np.float64], dpi: float) -> NDArray[np.float64]:
    """Return the depths without what stands out from a rim that is even elsewhere: a letter that touches it."""
    usual = _usual(depth, dpi)
    return np.where(depth > usual + mm_to_px(STEP_MM, dpi), usual, depth)


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


def stretches(depth: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Return where a rim of these depths begins and ends along its edge.

    >>> stretches(np.array([0.0, 2.0, 3.0, 0.0, 1.0]))
    [(1, 3), (4, 5)]
    """
    ends = np.flatnonzero(np.diff(np.concatenate([[False], depth > 0, [False]]).astype(np.int8)))
    return list(zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True))
