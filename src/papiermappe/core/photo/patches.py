"""Candidates for the sheet, found as areas: what is lighter, darker or of another tint than all that is around it.

A side that bows has no line along it, and one that is hidden has little of one: the area has an outline all the same.
"""

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.lines import Numbers
from papiermappe.core.photo.quads import BEYOND_SHARE, CROSSING_DEG
from papiermappe.core.picture import Pixels

LOOK_PX = 320  # the longer side of the picture that is cut into areas
LEVELS = 10  # at which it is cut in each channel, evenly spread over what the channel has
LEAST_RANGE = 6.0  # levels: a channel that has less is of one level
RANGE_PERCENT = (2, 98)
GRAIN_PX = 5
SHARES = (0.04, 0.97)  # of the picture, that a sheet covers
LEAST_SOLID = 0.88  # of an area's convex hull
LEAST_FILLED = 0.9  # of a quadrilateral on the picture, by that hull
LEAST_SIDE = 0.03  # of the four sides together
FLAT_PX = 1.2  # by so much an outline is off its polygon
PARALLEL = 1e-6  # sides whose cross product is less meet nowhere
RIM_PX = 1.5  # sides that are nearer to the picture's rim are not the sheet's
RIM_WEIGHT = 0.05  # what a quadrilateral has beyond such a side counts by so much: nobody knows what is there
CORNER_SHARE = 0.1  # of the longer side: around a side that bows outwards a quadrilateral's corner is off by less
SAME_SHARE = 0.02  # of the longer side: quadrilaterals whose corners are nearer are the same
MOST = 4


class _Patch(NamedTuple):
    corners: Numbers
    filled: float
    """The share of the quadrilateral, as far as it is on the picture, that the area covers."""


def find_patches(look: Pixels) -> list[Numbers]:
    """Return the quadrilaterals that areas fill best, the best first.

    Args:
        look: grey (h, w) or RGB (h, w, 3), uint8.

    Returns:
        The corners of each, (4, 2), clockwise, in px of the picture; they may lie outside of it.
    """
    scale = min(1.0, LOOK_PX / max(look.shape[:2]))
    size = max(1, round(look.shape[1] * scale)), max(1, round(look.shape[0] * scale))
    small = np.asarray(cv2.resize(look, size, interpolation=cv2.INTER_AREA), np.uint8)
    patches = [patch for outline in _outlines(small) if (patch := _patch(outline, *size)) is not None]
    patches.sort(key=lambda patch: -patch.filled)
    found: list[Numbers] = []
    for patch in patches:
        if all(_apart_px(patch.corners, other) > SAME_SHARE * max(size) for other in found):
            found.append(patch.corners)
    return [np.asarray((corners + 0.5) / scale - 0.5) for corners in found[:MOST]]


def _outlines(small: Pixels) -> Iterator[NDArray[np.int32]]:
    """Yield the outlines of what is lighter, and of what is darker, than each level of each channel, (n, 1, 2)."""
    channels = [small] if small.ndim == 2 else cv2.split(cv2.cvtColor(small, cv2.COLOR_RGB2LAB))
    for channel in channels:
        even = cv2.medianBlur(channel, GRAIN_PX)
        darkest, lightest = np.percentile(even, RANGE_PERCENT)
        if lightest - darkest < LEAST_RANGE:
            continue
        for level in np.linspace(darkest, lightest, LEVELS + 2)[1:-1]:
            for area in (even > level, even <= level):
                whole = cv2.morphologyEx(area.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
                outlines, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
                yield from (np.asarray(outline, np.int32) for outline in outlines)


def _patch(outline: NDArray[np.int32], width: int, height: int) -> _Patch | None:
    """Return the quadrilateral that an area fills; None where it is of another shape, too small or too large."""
    area, least, most = cv2.contourArea(outline), *(share * width * height for share in SHARES)
    if not least <= area <= most:
        return None
    hull = cv2.convexHull(outline)
    within = cv2.contourArea(hull)
    polygon = np.asarray(cv2.approxPolyDP(hull, FLAT_PX, closed=True)[:, 0], np.float64)
    if area < LEAST_SOLID * within or len(polygon) < 4:
        return None
    corners = _quadrilateral(polygon, width, height)
    if corners is None or not _is_possible(corners, width, height):
        return None
    picture = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)
    seen, _ = cv2.intersectConvexConvex(corners.astype(np.float32), picture)
    own = _drawn_in(corners, polygon, width, height)
    if within < LEAST_FILLED * seen or not _is_possible(own, width, height):  # two corners may be drawn in to one place
        return None
    return _Patch(own, area / seen)


def _quadrilateral(polygon: Numbers, width: int, height: int) -> Numbers | None:
    """Return the quadrilateral around a convex polygon (n, 2), clockwise, by its sides; None where there is none.

    The side is left out whose neighbours meet nearest beyond it, by area, until four are left.
    """
    left = polygon if _signed_area(polygon) > 0 else polygon[::-1]
    while len(left) > 4:
        at = np.arange(len(left))
        before, start, end, after = (left[(at + turn) % len(left)] for turn in (-1, 0, 1, 2))
        one, other = start - before, end - after
        across = _cross(one, other)
        safe = np.where(np.abs(across) < PARALLEL, np.nan, across)
        meeting = start + (_cross(end - start, other) / safe)[:, None] * one
        is_beyond = ((meeting - start) * one).sum(axis=1) >= 0
        is_beyond &= ((meeting - end) * other).sum(axis=1) >= 0
        added = np.abs(_cross(start - meeting, end - meeting)) / 2
        added = np.where(_on_rim(start, end, width, height), RIM_WEIGHT * added, added)
        added = np.where(is_beyond, added, np.inf)
        out = int(added.argmin())
        if not np.isfinite(added[out]):
            return None
        left = np.vstack([left[(at[2:] + out) % len(left)], meeting[out]])  # in place of both its ends
    return left


def _drawn_in(corners: Numbers, polygon: Numbers, width: int, height: int) -> Numbers:
    """Return the corners of a quadrilateral around a polygon, each at the polygon's own where one is near.

    Sides that bow outwards lie within the quadrilateral only because its corners are farther out. A corner that lies
    beyond the rim has none.
    """
    own = polygon[~_on_rim(polygon, polygon, width, height)]
    if not len(own):
        return corners
    apart = np.linalg.norm(corners[:, None] - own, axis=2)
    is_near = apart.min(axis=1) <= CORNER_SHARE * max(width, height)
    is_near &= ~_on_rim(corners, corners, width, height)
    return np.where(is_near[:, None], own[apart.argmin(axis=1)], corners)


def _is_possible(corners: Numbers, width: int, height: int) -> bool:
    """Return whether a sheet can have such corners: none far outside of the picture, none that is hardly one.

    What ends at the rim along a whole side goes on beyond it, nobody knows how far.
    """
    if _on_rim(corners, np.roll(corners, -1, axis=0), width, height).any():
        return False
    size = np.array([width, height])
    is_near = (corners > -BEYOND_SHARE * size) & (corners < (1 + BEYOND_SHARE) * size)
    along = np.roll(corners, -1, axis=0) - corners
    before = np.roll(along, 1, axis=0)
    turned = np.arctan2(_cross(before, along), (before * along).sum(axis=1))
    lengths = np.linalg.norm(along, axis=1)
    is_plain = (turned >= np.radians(CROSSING_DEG)) & (lengths >= LEAST_SIDE * lengths.sum())
    return bool(is_near.all() and is_plain.all())


def _on_rim(start: Numbers, end: Numbers, width: int, height: int) -> NDArray[np.bool_]:
    """Return which sides, given by their ends (n, 2), run along the picture's rim."""
    far = np.array([width, height]) - 1 - RIM_PX
    is_near = (np.maximum(start, end) <= RIM_PX) | (np.minimum(start, end) >= far)
    return np.asarray(is_near.any(axis=1))


def _apart_px(one: Numbers, other: Numbers) -> float:
    """Return how far the corners of two quadrilaterals are apart where most, in the turn in which that is least."""
    return min(float(np.abs(np.roll(one, turns, axis=0) - other).max()) for turns in range(4))


def _signed_area(polygon: Numbers) -> float:
    return float(_cross(polygon, np.roll(polygon, -1, axis=0)).sum() / 2)


def _cross(one: Numbers, other: Numbers) -> Numbers:
    return np.asarray(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0])
