"""The four corners of a sheet on a camera picture.

Lines along which edges run are put together to quadrilaterals, and areas that differ from what is around them fill
others. Each is judged by all that is seen along its sides: whether edges run along all of them and end at the corners,
whether inside is one paper and outside is not, which way the brightness steps, whether it has the proportions of a
sheet. The best are placed exactly and compared; one of them is surely the sheet only where it stands out from all
others.
"""

import math
from collections.abc import Collection
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import order_corners, px_to_mm, quad_mm
from papiermappe.core.photo.camera import Corners
from papiermappe.core.photo.completing import completing_lines
from papiermappe.core.photo.contenders import (
    UNSEEN_SHARE,
    Contender,
    are_pages_of,
    best_contenders,
    colours_apart,
    is_placed,
    merits,
    overlaps,
    scaled,
    shared_areas,
)
from papiermappe.core.photo.lines import Numbers, edge_map, find_lines
from papiermappe.core.photo.patches import find_patches
from papiermappe.core.photo.quads import find_quads, quads_along
from papiermappe.core.photo.rectified import outline_px
from papiermappe.core.photo.sides import Placed, place_sides
from papiermappe.core.photo.tracks import joined, tracks_of
from papiermappe.core.photo_sheet import PhotoSheet, SidePlaces
from papiermappe.core.picture import Pixels, checked

LOOK_PX = 640  # the longer side of the picture that is searched for the sheet
FINE_PX = 1400  # of the one on which its sides are placed
FIELD_APART = 0.1  # a picture that is printed differs from the paper around it by at least this
ALIKE_APART = 0.03  # paper differs by more from the palest table that was drawn
LINE_SHARE = 0.1  # of how unlike the usual side of a sheet is to what is beside it: a side that is less may be a line
UNSURE = 0.4
SURE_LEAD = 3.4  # with so much more evidence than the next one a quadrilateral is as likely as not the sheet...
MOST_LEAD = 12.0
ALL_SHARE, LEAD_A_SHARE = 0.65, 30.0  # ...where each of its sides shows its step along this much; else it needs more...
LEAST_SHARE = 0.45  # ...and less than this is too little
PART_SHARE, PART_LEAD = 0.9, 3.0  # of the smaller of two quadrilaterals: they may well be parts of one sheet
SAME_OVERLAP = 0.96  # intersection over union: whichever of the two is taken, nothing that people see is missing
PLAIN_SHARE = 0.7  # along so much a side shows its step that bows


class PhotoCorners(NamedTuple):
    """Where the sheet is on a photo."""

    corners_px: Corners
    """Clockwise, the top left as it is seen first. They may lie outside of the photo."""
    confidence: float
    """0 to 1; below 0.5 the corners are a guess. With 0 they are those of the photo."""
    sides_px: tuple[Numbers | None, ...] = (None,) * 4
    """A quarter, half and three quarters along each side, clockwise, (3, 2): the top side first. None where the side is
    not seen plainly."""
    likelihood: float = 1.0
    """0 to 1, that it is the sheet or a part of it: also where a side is hidden, or beyond the photo."""

    def scaled(self, by: float) -> "PhotoCorners":
        """Return the same for a picture that is so much larger."""
        sides = tuple(None if side is None else scaled(side, by) for side in self.sides_px)
        return self._replace(corners_px=scaled(self.corners_px, by), sides_px=sides)

    def on_capture(self, dpi: float) -> PhotoSheet:
        """Return the same in mm, as it is kept with a photo of a resolution."""
        top, right, bottom, left = (None if side is None else _places_mm(side, dpi) for side in self.sides_px)
        corners = quad_mm(self.corners_px, dpi)
        return PhotoSheet(corners=corners, confidence=round(self.confidence, 3), sides=(top, right, bottom, left))


def find_corners(photo: Pixels) -> PhotoCorners:
    """Find the corners of the sheet on a camera picture.

    Args:
        photo: grey (h, w) or RGB (h, w, 3), uint8.

    Returns:
        The corners, and how sure they are.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(photo, 300)
    fine = _shrunk_to(whole, FINE_PX)
    contenders = _contenders(fine, _shrunk_to(fine, LOOK_PX))
    if not contenders:
        return PhotoCorners(outline_px(whole.shape[1], whole.shape[0]), 0.0, likelihood=0.0)
    speaks_for = merits(contenders, fine.shape[1], fine.shape[0])
    best = int(speaks_for.argmax())
    placed = contenders[best].placed
    is_same = overlaps(contenders, contenders[best]) >= SAME_OVERLAP
    is_rival = ~is_same & ~are_pages_of(contenders, contenders[best])
    leads = speaks_for[best] - speaks_for[is_rival]
    confidence = _confidence(float(leads.min(initial=MOST_LEAD)), float(placed.shares.min()))
    if _may_be_printed(contenders[best]):
        confidence = min(confidence, UNSURE)
    is_part = shared_areas(contenders, contenders[best])[is_rival] >= PART_SHARE
    likelihood = _likelihood(placed, leads, is_part)
    corners = order_corners(placed.corners)
    first = int(np.abs(placed.corners - corners[0]).sum(axis=1).argmin())
    sides = _plain_sides(placed)
    in_order = PhotoCorners(corners, confidence, (*sides[first:], *sides[:first]), likelihood)
    return in_order.scaled(len(whole) / len(fine))


def place_corners(photo: Pixels, corners_px: Corners, sides: Collection[int] = range(4)) -> PhotoCorners:
    """Place the sides of a sheet on a camera picture whose corners are about known.

    Args:
        photo: grey (h, w) or RGB (h, w, 3), uint8.
        corners_px: about where they are, clockwise.
        sides: that are placed, 0 from the first corner to the second, and so on; the others stay.

    Returns:
        The corners in the order that they were given in.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(photo, 300)
    fine = _shrunk_to(whole, FINE_PX)
    by = len(whole) / len(fine)
    placed = place_sides(fine, scaled(corners_px, 1 / by), sides)
    return PhotoCorners(placed.corners, 1.0, tuple(_plain_sides(placed))).scaled(by)


def _plain_sides(placed: Placed) -> list[Numbers | None]:
    is_plain = placed.shares >= PLAIN_SHARE
    return [side if plain else None for side, plain in zip(placed.quarters, is_plain, strict=True)]


def _contenders(fine: Pixels, look: Pixels) -> list[Contender]:
    """Return the quadrilaterals that look most like the sheet; none where there is none."""
    height, width = look.shape[:2]
    by = len(fine) / height
    edges = edge_map(look)
    contenders: list[Contender] = []
    lines = find_lines(edges)
    tracks = tracks_of(look, edges, lines) if len(lines) >= 4 else None
    if tracks is not None:
        more = completing_lines(tracks, width, height)
        every = joined(tracks, tracks_of(look, edges, more)) if len(more) else tracks
        quads = find_quads(every, width, height)
        if len(quads.lines):
            contenders = best_contenders(fine, every, quads, by, tracks)
    longer_px = max(fine.shape[:2])
    patches = [corners for corners in find_patches(look) if not is_placed(scaled(corners, by), contenders, longer_px)]
    if patches:
        sides, quads = quads_along(patches, width, height)
        filled = best_contenders(fine, tracks_of(look, edges, sides), quads, by, tracks)
        new = [contender for contender in filled if not is_placed(contender.placed.corners, contenders, longer_px)]
        contenders += new
    return contenders


def _likelihood(placed: Placed, leads: Numbers, is_part: NDArray[np.bool_]) -> float:
    """Return how likely a quadrilateral is the sheet or a part of it, 0 to 1.

    Args:
        placed: the quadrilateral.
        leads: over each of its rivals.
        is_part: which of these may be parts of one sheet with it.
    """
    shares = np.sort(np.where(placed.is_seen, placed.shares, UNSEEN_SHARE))
    if shares[-2] < PLAIN_SHARE:  # in a pattern many are alike, and none has plain sides
        return 0.0
    return _odds(float((leads + PART_LEAD * is_part).min(initial=MOST_LEAD))) * _seen(float(shares[0]))


def _may_be_printed(sheet: Contender) -> bool:
    """Return whether a sheet may be printed on a larger one whose sides are not found.

    What is beside two of its sides is like what is within, as with lines; or beside one, and quite unlike it beside the
    others, as where a line of print takes the place of a side that is beyond the photo; or it is darker than what is
    beside most of its sides, as pictures are.
    """
    apart = colours_apart(sheet.inside, sheet.outside)
    is_darker = (sheet.inside.mean(axis=1) < sheet.outside.mean(axis=1)) & (apart >= FIELD_APART)
    has_line = apart.min() < LINE_SHARE * np.median(apart)
    return bool((apart < ALIKE_APART).sum() >= 2 or has_line or is_darker.sum() >= 3)


def _confidence(lead: float, least_share: float) -> float:
    """Return how sure it is that the best quadrilateral is the sheet, 0 to 1.

    Args:
        lead: of the quadrilateral.
        least_share: along how much of the side of which least is seen its step is seen.
    """
    hidden = max(0.0, ALL_SHARE - least_share)
    return _seen(least_share) * _odds(lead - LEAD_A_SHARE * hidden)


def _seen(least_share: float) -> float:
    """Return how much a quadrilateral counts of which so much of the side is seen that is seen least, 0 to 1."""
    return min(1.0, least_share / LEAST_SHARE)


def _odds(lead: float) -> float:
    """Return how likely a quadrilateral is the sheet. A score is a logarithm of a ratio, so a lead is one of odds."""
    return 1 / (1 + math.exp(min(SURE_LEAD - lead, 50.0)))


def _places_mm(side_px: Numbers, dpi: float) -> SidePlaces:
    first, middle, last = ((px_to_mm(float(x) + 0.5, dpi), px_to_mm(float(y) + 0.5, dpi)) for x, y in side_px)
    return first, middle, last


def _shrunk_to(photo: Pixels, longer_px: int) -> Pixels:
    scale = longer_px / max(photo.shape[:2])
    if scale >= 1:
        return photo
    size = max(1, round(photo.shape[1] * scale)), max(1, round(photo.shape[0] * scale))
    return np.asarray(cv2.resize(photo, size, interpolation=cv2.INTER_AREA), np.uint8)
