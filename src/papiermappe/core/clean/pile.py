"""All pages over one another, as if one looked down through the pile, and what of that is not theirs."""

from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_of
from papiermappe.core.geometry import px_to_mm
from papiermappe.core.order.places import Side
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey
from papiermappe.core.zones import Zone

PILE_DPI = 75
DARKER_LEVELS = 14
SHARED = 0.6  # something is shared if it is on at least this share of a side's pages
LEAST_PAGES = 3
EDGE_MM = 20.0  # holes and staples are no further than this from an edge
RIM_MM = 4.0
HOLE_MM = (3.5, 9.5)
STAPLE_MM = 16.0
LINE_MM = 2.0
LINE_SHARE = 0.85  # a dust line covers at least this share of the page's height
MARGIN_MM = 0.8  # how far a wipe extends beyond what it wipes


class SharedKind(StrEnum):
    """What pages share that is not theirs."""

    HOLE = "hole"
    EDGE_SHADOW = "edge shadow"
    STAPLE = "staple"
    FOLD = "fold"
    DUST_LINE = "dust_line"


class SuggestedWipe(NamedTuple):
    """A zone that might be wiped on all pages of a side."""

    zone: Zone
    kind: SharedKind
    side: Side
    share: float
    """Of the pages of that side, how many show it."""


def pile(pages: Sequence[Pixels], dpi: float, sides: Sequence[Side] | None = None) -> dict[Side, Pixels]:
    """Return what all pages share, fronts and backs apart.

    Args:
        pages: of about one size, grey (h, w) or RGB (h, w, 3), uint8.
        dpi: of all of them.
        sides: of each page; all fronts if not given.

    Returns:
        For each side that occurs a grey picture at 75 dpi, as large as its largest page: the darker, the more pages are
        dark there.

    Raises:
        PictureRefused: one is not such a picture.
    """
    return {side: np.rint(255 * (1 - share)).astype(np.uint8) for side, share in _shares(pages, dpi, sides).items()}


def suggest_wipes(pages: Sequence[Pixels], dpi: float, sides: Sequence[Side] | None = None) -> list[SuggestedWipe]:
    """Suggest what to wipe on all pages: holes, shadows at the edges, staples, folds and dust lines that recur.

    What recurs on the page itself, a letterhead or the lines of a form, is not suggested: holes and staples lie near
    the edges, dust lines run all the way down.

    Args:
        pages: of about one size, grey (h, w) or RGB (h, w, 3), uint8; at least three of a side.
        dpi: of all of them.
        sides: of each page; all fronts if not given.

    Raises:
        PictureRefused: one is not such a picture.
    """
    suggestions = []
    for side, share in _shares(pages, dpi, sides).items():
        count = sum(page_side is side for page_side in sides) if sides is not None else len(pages)
        if count >= LEAST_PAGES:
            suggestions += _suggested(share, side)
    return suggestions


def _shares(pages: Sequence[Pixels], dpi: float, sides: Sequence[Side] | None) -> dict[Side, NDArray[np.float32]]:
    """Return for each side the share of its pages that are dark, (h, w) at 75 dpi."""
    own_sides = sides if sides is not None else [Side.FRONT] * len(pages)
    by_side: dict[Side, list[NDArray[np.float32]]] = {}
    for page, side in zip(pages, own_sides, strict=True):
        by_side.setdefault(side, []).append(_dark(page, dpi))
    shares = {}
    for side, dark in by_side.items():
        height, width = (max(mask.shape[axis] for mask in dark) for axis in (0, 1))
        total = np.zeros((height, width), np.float32)
        for mask in dark:
            total[: mask.shape[0], : mask.shape[1]] += mask
        shares[side] = np.asarray(total / len(dark), np.float32)
    return shares


def _dark(page: Pixels, dpi: float) -> NDArray[np.float32]:
    """Return where a page is darker than its paper, 0 to 1; things may lie apart by half a millimetre."""
    whole = checked(page, dpi)
    by = max(1, int(dpi // PILE_DPI))
    small = to_grey(shrunk(whole, by))
    work_dpi = dpi / by
    darker = cv2.subtract(paper_of(small, work_dpi), small)
    wide = cv2.dilate(darker, np.ones((3, 3), np.uint8))
    scaled = cv2.resize(wide, None, fx=PILE_DPI / work_dpi, fy=PILE_DPI / work_dpi, interpolation=cv2.INTER_AREA)
    return np.clip(np.asarray(scaled, np.float32) / DARKER_LEVELS - 0.5, 0, 1)


def _suggested(share: NDArray[np.float32], side: Side) -> list[SuggestedWipe]:
    count, labels, stats, _ = cv2.connectedComponentsWithStats((share >= SHARED).astype(np.uint8), connectivity=8)
    found = []
    for number in range(1, count):
        left, top, width, height, area = (float(value) for value in stats[number])
        zone = Zone(
            x_mm=px_to_mm(left, PILE_DPI),
            y_mm=px_to_mm(top, PILE_DPI),
            width_mm=px_to_mm(width, PILE_DPI),
            height_mm=px_to_mm(height, PILE_DPI),
        )
        kind = _kind(zone, share.shape, area / (width * height))
        if kind is not None:
            found.append(SuggestedWipe(zone.grown(MARGIN_MM), kind, side, float(share[labels == number].mean())))
    return found


def _kind(zone: Zone, shape: tuple[int, ...], filled: float) -> SharedKind | None:
    """Return what a shared thing is by its size and place; None where it may be the page's own."""
    page_h_mm, page_w_mm = (px_to_mm(side, PILE_DPI) for side in shape)
    right_mm, bottom_mm = zone.x_mm + zone.width_mm, zone.y_mm + zone.height_mm
    inner_mm = min(page_w_mm - zone.x_mm, right_mm, page_h_mm - zone.y_mm, bottom_mm)
    if inner_mm <= RIM_MM:
        return SharedKind.EDGE_SHADOW
    if zone.width_mm <= LINE_MM and zone.height_mm >= LINE_SHARE * page_h_mm:
        return SharedKind.DUST_LINE
    if zone.height_mm <= 2 * LINE_MM and zone.width_mm >= 0.95 * page_w_mm:
        return SharedKind.FOLD
    low, high = HOLE_MM
    near_side = min(zone.x_mm, page_w_mm - right_mm, zone.y_mm, page_h_mm - bottom_mm) <= EDGE_MM
    is_round = abs(zone.width_mm - zone.height_mm) <= 1.2 and filled >= 0.6
    if near_side and is_round and low <= max(zone.width_mm, zone.height_mm) <= high:
        return SharedKind.HOLE
    in_corner = min(zone.y_mm, page_h_mm - bottom_mm) <= EDGE_MM and min(zone.x_mm, page_w_mm - right_mm) <= EDGE_MM
    if in_corner and max(zone.width_mm, zone.height_mm) <= STAPLE_MM and min(zone.width_mm, zone.height_mm) <= 3:
        return SharedKind.STAPLE
    return None
