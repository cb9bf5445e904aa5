"""The resolution of a photo: a camera does not know how far away the sheet was, but its size is mostly known."""

from typing import NamedTuple

import numpy as np

from papiermappe.core.geometry import order_corners
from papiermappe.core.paper import A4, ID_CARD, LETTER
from papiermappe.core.photo.corners import PhotoCorners, find_corners, place_corners
from papiermappe.core.photo.rectified import rectified_size_px
from papiermappe.core.photo_sheet import SURE, NearCorners
from papiermappe.core.picture import CapturedPicture, Pixels, Reduction

SAME_ASPECT = 0.01  # a sheet whose proportions are as near as this to those of a paper is of that size
RECEIPT_ASPECT, RECEIPT_WIDTH_MM = 2.2, 80.0  # narrower sheets are till receipts
NEAR_SHARE, NEAR_CONFIDENCE = 0.02, 0.6
LOOKED_AT_PX = 2000  # the longer side of the picture that is enough to find corners


class SeenSheet(NamedTuple):
    """A sheet on a photo, before its resolution is known."""

    found: PhotoCorners
    """On the whole photo."""
    dpi: float | None
    """At which the sheet has its likely size; None where it is not found for sure."""


def look_for_sheet(photo: CapturedPicture, near: NearCorners | None = None) -> SeenSheet:
    """Find the sheet on a photo, and the resolution at which it has its likely size.

    A sheet with the proportions of A paper is taken for A4, one with those of Letter or of a card for such a one, a
    narrow one for a receipt; any other is taken to be as long as A4.

    Args:
        photo: the photo.
        near: where the sheet was seen on a smaller picture of the same scene. It counts where no sheet is found for
            sure, and edges run there.

    Raises:
        PictureRefused: the photo cannot be decoded.
    """
    head = photo.head()
    longer_px = max(head.width_px, head.height_px)
    reduction: Reduction = 4 if longer_px >= 4 * LOOKED_AT_PX else 2 if longer_px >= 2 * LOOKED_AT_PX else 1
    pixels = photo.pixels(reduction)
    found = find_corners(pixels)
    if near is not None and found.confidence < SURE:
        found = _placed_near(pixels, near) or found
    found = found.scaled(reduction)
    if found.confidence < SURE:
        return SeenSheet(found, None)
    height_px, width_px = rectified_size_px(found.corners_px, head.width_px, head.height_px)
    tall_px, wide_px = sorted((height_px, width_px), reverse=True)
    return SeenSheet(found, round(tall_px / _tall_mm(tall_px / wide_px) * 25.4, 1))


def _placed_near(pixels: Pixels, near: NearCorners) -> PhotoCorners | None:
    """Return the sheet near corners; None where edges do not run along all of its sides, or farther off."""
    height, width = pixels.shape[:2]
    rough = order_corners(np.array(near) * (width, height) - 0.5)
    placed = place_corners(pixels, rough)
    is_near = np.abs(placed.corners_px - rough).max() <= NEAR_SHARE * max(height, width)
    is_plain = all(side is not None for side in placed.sides_px)
    return placed._replace(confidence=NEAR_CONFIDENCE) if is_near and is_plain else None


def _tall_mm(aspect: float) -> float:
    """Return how long the longer side of a sheet is, given its length over its width."""
    if aspect > RECEIPT_ASPECT:
        return RECEIPT_WIDTH_MM * aspect
    sizes = {paper.height_mm / paper.width_mm: paper.height_mm for paper in (A4, LETTER)}
    sizes[ID_CARD.width_mm / ID_CARD.height_mm] = ID_CARD.width_mm
    nearest = min(sizes, key=lambda known: abs(known - aspect))
    return sizes[nearest] if abs(nearest - aspect) <= SAME_ASPECT else A4.height_mm
