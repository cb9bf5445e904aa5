"""The four corners of a sheet on a camera picture.

Lines along which edges run are put together to quadrilaterals, and each is judged by all that is seen along its sides:
whether edges run along all of them and end at the corners, whether inside is one paper and outside is not, which way
the brightness steps, whether it has the proportions of a sheet. The sides of the best are placed exactly; it is sure
only where it stands out from all others.
"""

import math
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.geometry import order_corners
from papiermappe.core.photo.evidence import WEIGHTS, evidence
from papiermappe.core.photo.lines import Numbers, edge_map, find_lines
from papiermappe.core.photo.quads import Quads, find_quads
from papiermappe.core.photo.rectified import Corners
from papiermappe.core.photo.sides import Placed, place_sides
from papiermappe.core.photo.tracks import tracks_of
from papiermappe.core.picture import Pixels, checked

LOOK_PX = 640  # the longer side of the picture that is searched for the sheet
FINE_PX = 1400  # of the one on which its sides are placed
SAME_SHARE = 0.02  # of the picture's longer side: quadrilaterals whose corners are nearer are the same

SURE_LEAD = 4.0  # with so much more evidence than the next one a quadrilateral is as likely as not the sheet...
MOST_LEAD = 12.0
SURE = 0.5
LEAST_SHARE = 0.45  # ...where each of its sides shows its step along this much


class PhotoCorners(NamedTuple):
    """Where the sheet is on a photo."""

    corners_px: Corners
    """Clockwise, the top left as it is seen first. They may lie outside of the photo."""
    confidence: float
    """0 to 1; below 0.5 the corners are a guess. With 0 they are those of the photo."""


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
        return PhotoCorners(_edges(whole), 0.0)
    placed = place_sides(fine, _scaled(found.corners, len(fine) / found.of_height_px))
    corners = order_corners(_scaled(placed.corners, len(whole) / len(fine)))
    return PhotoCorners(corners, _confidence(found.lead, placed))


class _Found(NamedTuple):
    corners: Numbers
    """(4, 2), clockwise, in px of the picture that was looked at."""
    of_height_px: int
    lead: float
    """By how much better it is than the next one that is not the same."""


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
    best, next_best = _two_best(quads, scores, SAME_SHARE * max(height, width))
    lead = MOST_LEAD if next_best is None else float(scores[best] - scores[next_best])
    return _Found(quads.corners[best], height, lead)


def _two_best(quads: Quads, scores: Numbers, same_px: float) -> tuple[int, int | None]:
    """Return the best quadrilateral, and the best that is another one; None where there is no other."""
    order = np.argsort(-scores, kind="stable")
    best = quads.corners[order[0]]
    turned = np.array([np.roll(best, turns, axis=0) for turns in range(4)])
    apart = np.abs(quads.corners[order][:, None] - turned[None]).max(axis=(2, 3)).min(axis=1)
    others = order[apart > same_px]
    return int(order[0]), int(others[0]) if len(others) else None


def _confidence(lead: float, placed: Placed) -> float:
    """Return how sure it is that the best quadrilateral is the sheet, 0 to 1.

    The score is a logarithm of a ratio, so the lead is that of the odds of the two.
    """
    shown = min(1.0, float(placed.shares.min()) / LEAST_SHARE)
    return shown / (1 + math.exp(min(SURE_LEAD - lead, 50.0)))


def _scaled(corners: Numbers, by: float) -> Numbers:
    return np.asarray((corners + 0.5) * by - 0.5)


def _edges(photo: Pixels) -> Corners:
    height, width = photo.shape[:2]
    return np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)])


def _shrunk_to(photo: Pixels, longer_px: int) -> Pixels:
    scale = longer_px / max(photo.shape[:2])
    if scale >= 1:
        return photo
    size = max(1, round(photo.shape[1] * scale)), max(1, round(photo.shape[0] * scale))
    return np.asarray(cv2.resize(photo, size, interpolation=cv2.INTER_AREA), np.uint8)
