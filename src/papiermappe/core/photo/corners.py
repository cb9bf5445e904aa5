"""The four corners of a sheet on a camera picture.

Lines along which edges run are put together to quadrilaterals, and each is judged by all that is seen along its sides:
whether edges run along all of them and end at the corners, whether inside is one paper and outside is not, which way
the brightness steps, whether it has the proportions of a sheet. The sides of the best are placed exactly; it is sure
only where it stands out from all others.
"""

import math
from collections.abc import Collection
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import order_corners, px_to_mm, quad_mm
from papiermappe.core.photo.evidence import WEIGHTS, evidence
from papiermappe.core.photo.lines import Numbers, edge_map, find_lines
from papiermappe.core.photo.quads import Index, Quads, areas, colours_beside, find_quads, picked
from papiermappe.core.photo.rectified import Corners, outline_px
from papiermappe.core.photo.sides import Placed, place_sides
from papiermappe.core.photo.tracks import Tracks, tracks_of
from papiermappe.core.photo_sheet import PhotoSheet, SidePlaces
from papiermappe.core.picture import Pixels, checked

LOOK_PX = 640  # the longer side of the picture that is searched for the sheet
FINE_PX = 1400  # of the one on which its sides are placed
SAME_SHARE = 0.045  # of the picture's longer side: quadrilaterals whose corners are nearer are the same

MOST_COMPARED = 400  # of the best quadrilaterals
MOST_NESTED = 3
PRINTED_LEAD = 25.0  # a picture may look so much more like a sheet than the sheet that it is printed on
LARGER = 1.03
FIELD_APART = 0.1  # a field differs from the paper around it by at least this...
PAPER_APART = 0.12  # ...and the paper at the sheet's own sides by no more than this
ALIKE_APART = 0.03  # paper differs by more from the palest table that was drawn
UNSURE = 0.4
SURE_LEAD = 4.3  # with so much more evidence than the next one a quadrilateral is as likely as not the sheet...
MOST_LEAD = 12.0
WITHIN_LEAD = 3.0
ALL_SHARE, LEAD_A_SHARE = 0.65, 30.0  # ...where each of its sides shows its step along this much; else it needs more...
LEAST_SHARE = 0.45  # ...and less than this is too little
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
        sides = tuple(None if side is None else _scaled(side, by) for side in self.sides_px)
        return self._replace(corners_px=_scaled(self.corners_px, by), sides_px=sides)

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
    found = _found(_shrunk_to(fine, LOOK_PX))
    if found is None:
        return PhotoCorners(outline_px(whole.shape[1], whole.shape[0]), 0.0, likelihood=0.0)
    placed = place_sides(fine, _scaled(found.corners, len(fine) / found.of_height_px))
    confidence = _confidence(found.lead, float(placed.shares.min()))
    if found.may_be_printed:
        confidence = min(confidence, UNSURE)
    likelihood = _odds(found.lead) * min(1.0, float(placed.shares.min()) / LEAST_SHARE)
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
    placed = place_sides(fine, _scaled(corners_px, 1 / by), sides)
    return PhotoCorners(placed.corners, 1.0, tuple(_plain_sides(placed))).scaled(by)


def _plain_sides(placed: Placed) -> list[Numbers | None]:
    is_plain = placed.shares >= PLAIN_SHARE
    return [side if plain else None for side, plain in zip(placed.quarters, is_plain, strict=True)]


class _Found(NamedTuple):
    corners: Numbers
    """(4, 2), clockwise, in px of the picture that was looked at."""
    of_height_px: int
    lead: float
    """By how much better it is than the next one that is not the same."""
    may_be_printed: bool
    """Whether it may be printed on a larger sheet whose sides are not found: what is beside two of its sides is like
    what is within, as with lines, or it is darker than all around it, as pictures are."""


def _found(look: Pixels) -> _Found | None:
    """Return the quadrilateral that is most likely the sheet; None where there is none."""
    height, width = look.shape[:2]
    edges = edge_map(look)
    lines = find_lines(edges)
    if len(lines) < 4:
        return None
    tracks = tracks_of(look, edges, lines)
    quads = find_quads(tracks, width, height)
    if not len(quads.lines):
        return None
    scores = evidence(tracks, quads, width, height) @ WEIGHTS
    order = np.argsort(-scores, kind="stable")[:MOST_COMPARED]
    best = _sheet_under(int(order[0]), order, scores, quads, tracks)
    lead = _lead(best, order, scores, quads, SAME_SHARE * max(height, width))
    inside, outside = colours_beside(tracks, picked(quads, np.array([best])))
    apart = _apart(inside[0], outside[0])
    is_darker = (inside[0].mean(axis=1) < outside[0].mean(axis=1)) & (apart >= FIELD_APART)
    return _Found(quads.corners[best], height, lead, bool((apart < ALIKE_APART).sum() >= 2 or is_darker.all()))


def _sheet_under(best: int, order: Index, scores: Numbers, quads: Quads, tracks: Tracks) -> int:
    """Return the quadrilateral that the best one is printed on, as a picture is; the best one where it is the sheet.

    What is printed is darker than the paper, and lies within another candidate: the paper just outside of the one is
    what is just inside of the other, side by side, since light is uneven; and the other differs from the table on at
    least three sides.
    """
    for _ in range(MOST_NESTED):
        around = order[scores[order] >= scores[best] - PRINTED_LEAD]
        around = around[_encloses(quads.corners[around], quads.corners[best][None])]
        if not len(around):
            return best
        inside, outside = colours_beside(tracks, picked(quads, np.array([best, *around])))
        is_darker = inside[0].mean() < outside[0].mean()
        is_field = is_darker and _apart(inside[0], outside[0]).mean() >= FIELD_APART
        if not is_field:
            return best
        sides = _sides_beside(quads.corners[around], quads.corners[best])
        is_same = np.median(_apart(inside[1:], outside[0][sides]), axis=1) <= PAPER_APART
        is_same &= np.sort(_apart(outside[1:], inside[1:]), axis=1)[:, 1] >= FIELD_APART
        if not is_same.any():
            return best
        best = int(around[is_same][0])
    return best


def _sides_beside(outer: Numbers, inner: Numbers) -> Index:
    """Return for each side of quadrilaterals (n, 4, 2) the side of one within them that runs along it, (n, 4)."""
    turned = np.stack([np.roll(inner, -turns, axis=0) for turns in range(4)])
    apart = np.linalg.norm(outer[:, None] - turned[None], axis=3).sum(axis=2)
    return np.asarray((np.arange(4) + apart.argmin(axis=1)[:, None]) % 4, np.intp)


def _encloses(outer: Numbers, inner: Numbers) -> NDArray[np.bool_]:
    """Return of which quadrilaterals (n, 4, 2), all clockwise, all corners are well inside; n may be 1 on one side."""
    along = np.roll(outer, -1, axis=1) - outer
    length = np.maximum(np.linalg.norm(along, axis=2), 1)
    away = inner[:, None] - outer[:, :, None]
    depth = (along[..., None, 0] * away[..., 1] - along[..., None, 1] * away[..., 0]) / length[..., None]
    size = np.sqrt(areas(outer))
    return np.asarray(
        (depth.min(axis=(1, 2)) > -0.01 * size)
        & (depth.max(axis=2).min(axis=1) > 0)
        & (areas(outer) >= LARGER * areas(inner))
    )


def _apart(one: Numbers, other: Numbers) -> Numbers:
    """Return how far apart colours are, as a share of the brightness of the second; in the channel where most."""
    return np.asarray(np.abs(one - other).max(axis=-1) / np.maximum(other.mean(axis=-1), 20.0))


def _lead(best: int, order: Index, scores: Numbers, quads: Quads, same_px: float) -> float:
    """Return by how much a quadrilateral is better than the best that is another one.

    One within it may be printed on it, so it speaks less against it.
    """
    turned = np.array([np.roll(quads.corners[best], turns, axis=0) for turns in range(4)])
    apart = np.abs(quads.corners[order][:, None] - turned[None]).max(axis=(2, 3)).min(axis=1)
    within = _encloses(quads.corners[best][None], quads.corners[order])
    is_other = (apart > same_px) & ~(within & (scores[order] > scores[best]))
    leads = scores[best] - scores[order] + np.where(within, WITHIN_LEAD, 0.0)
    return float(min(leads[is_other].min(initial=MOST_LEAD), MOST_LEAD))


def _confidence(lead: float, least_share: float) -> float:
    """Return how sure it is that the best quadrilateral is the sheet, 0 to 1.

    Args:
        lead: of the quadrilateral.
        least_share: along how much of the side of which least is seen its step is seen.
    """
    hidden = max(0.0, ALL_SHARE - least_share)
    return min(1.0, least_share / LEAST_SHARE) * _odds(lead - LEAD_A_SHARE * hidden)


def _odds(lead: float) -> float:
    """Return how likely a quadrilateral is the sheet. A score is a logarithm of a ratio, so a lead is one of odds."""
    return 1 / (1 + math.exp(min(SURE_LEAD - lead, 50.0)))


def _places_mm(side_px: Numbers, dpi: float) -> SidePlaces:
    first, middle, last = ((px_to_mm(float(x) + 0.5, dpi), px_to_mm(float(y) + 0.5, dpi)) for x, y in side_px)
    return first, middle, last


def _scaled(corners: Numbers, by: float) -> Numbers:
    return np.asarray((corners + 0.5) * by - 0.5)


def _shrunk_to(photo: Pixels, longer_px: int) -> Pixels:
    scale = longer_px / max(photo.shape[:2])
    if scale >= 1:
        return photo
    size = max(1, round(photo.shape[1] * scale)), max(1, round(photo.shape[0] * scale))
    return np.asarray(cv2.resize(photo, size, interpolation=cv2.INTER_AREA), np.uint8)
