"""The resolution of a photo: a camera does not know how far away the sheet was, but its size is mostly known."""

from typing import NamedTuple

from papiermappe.core.paper import A4, ID_CARD, LETTER
from papiermappe.core.photo.corners import PhotoCorners, find_corners
from papiermappe.core.photo.rectified import rectified_size_px
from papiermappe.core.photo_sheet import SURE
from papiermappe.core.picture import CapturedPicture, Reduction

SAME_ASPECT = 0.01  # a sheet whose proportions are as near as this to those of a paper is of that size
RECEIPT_ASPECT, RECEIPT_WIDTH_MM = 2.2, 80.0  # narrower sheets are till receipts
LOOKED_AT_PX = 2000  # the longer side of the picture that is enough to find corners


class SeenSheet(NamedTuple):
    """A sheet on a photo, before its resolution is known."""

    found: PhotoCorners
    """On the whole photo."""
    dpi: float | None
    """At which the sheet has its likely size; None where it is not found for sure."""


def look_for_sheet(photo: CapturedPicture) -> SeenSheet:
    """Find the sheet on a photo, and the resolution at which it has its likely size.

    A sheet with the proportions of A paper is taken for A4, one with those of Letter or of a card for such a one, a
    narrow one for a receipt; any other is taken to be as long as A4.

    Raises:
        PictureRefused: the photo cannot be decoded.
    """
    head = photo.head()
    longer_px = max(head.width_px, head.height_px)
    reduction: Reduction = 4 if longer_px >= 4 * LOOKED_AT_PX else 2 if longer_px >= 2 * LOOKED_AT_PX else 1
    pixels = photo.pixels(reduction)
    found = find_corners(pixels).scaled(reduction)
    if found.confidence < SURE:
        return SeenSheet(found, None)
    height_px, width_px = rectified_size_px(found.corners_px, head.width_px, head.height_px)
    tall_px, wide_px = sorted((height_px, width_px), reverse=True)
    return SeenSheet(found, round(tall_px / _tall_mm(tall_px / wide_px) * 25.4, 1))


def _tall_mm(aspect: float) -> float:
    """Return how long the longer side of a sheet is, given its length over its width."""
    if aspect > RECEIPT_ASPECT:
        return RECEIPT_WIDTH_MM * aspect
    sizes = {paper.height_mm / paper.width_mm: paper.height_mm for paper in (A4, LETTER)}
    sizes[ID_CARD.width_mm / ID_CARD.height_mm] = ID_CARD.width_mm
    nearest = min(sizes, key=lambda known: abs(known - aspect))
    return sizes[nearest] if abs(nearest - aspect) <= SAME_ASPECT else A4.height_mm
