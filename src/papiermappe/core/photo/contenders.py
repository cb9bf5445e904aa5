"""Which of the quadrilaterals that look most like the sheet is the sheet.

What is seen along lines of a small picture does not tell the sheet from a picture that is printed on it, from the
shadow of the camera, or from two sheets that lie over one another. So the best few are placed exactly, and are then
compared: along how much of its sides each shows one step, whether it has the proportions of paper, and which of them
lies within which.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import order_corners
from papiermappe.core.photo.camera import camera_view
from papiermappe.core.photo.crossings import WEIGHTS as CROSSINGS_WEIGHTS
from papiermappe.core.photo.crossings import crossings
from papiermappe.core.photo.evidence import WEIGHTS as EVIDENCE_WEIGHTS
from papiermappe.core.photo.evidence import evidence
from papiermappe.core.photo.lines import Numbers
from papiermappe.core.photo.nesting import encloses, share_beyond, sides_beside
from papiermappe.core.photo.quads import Quads, areas, colours_beside, picked
from papiermappe.core.photo.rectified import PAPER_ASPECTS
from papiermappe.core.photo.sides import Placed, place_sides
from papiermappe.core.photo.tracks import Tracks
from papiermappe.core.picture import Pixels

MOST = 5  # are placed
MOST_COMPARED = 120  # of the best quadrilaterals
SAME_SHARE = 0.022  # of the picture's longer side: quadrilaterals whose corners are nearer are the same
PAGE_MOST, PAGE_WITHIN = 0.7, 0.93  # of a book's area, and of a page's own
UNSEEN_SHARE = 0.75  # of a side that is beyond the picture: nothing speaks for or against it
PLAIN_SHARES = (0.9, 0.95)  # the sides of a sheet that are seen least show their step along so much
ASPECT_OFF = 0.06  # of a ratio's logarithm: more off counts as no more
DARKER = 0.03  # by so much a quadrilateral is darker than what is around it, as what is printed is
FOUND_TWICE_SHARE = 0.012  # of the picture's longer side: placed corners that are nearer are the same
ALIKE_APART = 0.12  # paper beside a picture differs by no more from the paper at the sheet's own sides
FEATURES = {
    "score": 0.69, "least side lacks": -4.2, "next side lacks": -5.9, "aspect": -1.24, "darker": -9.4,
    "darker within": -8.1, "lighter within": -1.94, "lighter on alike": 0.95,
}  # fmt: skip
"""What is looked at, and its weight: fitted so that on drawn photos the sheet stands out from all other contenders."""
WEIGHTS = np.array(list(FEATURES.values()))


class Contender(NamedTuple):
    """A quadrilateral that may be the sheet."""

    corners: Numbers
    """(4, 2), clockwise, in px of the picture that was searched."""
    score: float
    """Of what is seen there, along its sides and through it."""
    askew: float
    """How plainly a straight edge goes through it, though not along its sides, 0 to 1."""
    inside: Numbers
    outside: Numbers
    """(4, channels): the mean colour along each side."""
    placed: Placed
    """On the larger picture."""


def best_contenders(fine: Pixels, tracks: Tracks, quads: Quads, by: float, through: Tracks | None) -> list[Contender]:
    """Return the best quadrilaterals that are not about the same, the best first, with their sides placed.

    Args:
        fine: the picture on which they are placed.
        tracks: of the picture that was searched.
        quads: that were found on it.
        by: how much larger `fine` is.
        through: of the lines that may go through them; None where there are none.
    """
    height, width = (round(side / by) for side in fine.shape[:2])
    scores = evidence(tracks, quads, width, height) @ EVIDENCE_WEIGHTS
    found: list[int] = []
    same_px = SAME_SHARE * max(width, height)
    order = np.argsort(-scores, kind="stable")[:MOST_COMPARED]
    crossed = np.zeros((len(scores), 2))
    if through is not None:
        crossed[order] = crossings(through, quads.corners[order], width, height)
        scores[order] += crossed[order] @ CROSSINGS_WEIGHTS
        order = order[np.argsort(-scores[order], kind="stable")]
    while len(order) and len(found) < MOST:
        found.append(int(order[0]))
        order = order[_off_px(quads.corners[order], quads.corners[order[0]]) >= same_px]
    best = picked(quads, np.array(found, np.intp))
    placed = [place_sides(fine, scaled(corners, by)) for corners in best.corners]
    colours = colours_beside(tracks, best)
    known = zip(best.corners, scores[found].tolist(), crossed[found, 0].tolist(), *colours, placed, strict=True)
    return [Contender(*one) for one in known]


def is_placed(corners: Numbers, contenders: list[Contender], longer_px: int) -> bool:
    """Return whether one of the contenders was placed where a quadrilateral is.

    Args:
        corners: of the quadrilateral, (4, 2), clockwise, in px of the picture on which they were placed.
        contenders: that are known.
        longer_px: the longer side of that picture.
    """
    placed = np.array([contender.placed.corners for contender in contenders]).reshape(-1, 4, 2)
    return bool((_off_px(placed, corners) <= FOUND_TWICE_SHARE * longer_px).any())


def merits(contenders: list[Contender], width_px: int, height_px: int) -> Numbers:
    """Return how much speaks for each contender being the sheet, (n,): differences are logarithms of odds.

    Args:
        contenders: at least one.
        width_px: of the picture on which they were placed.
        height_px: of it.
    """
    return np.asarray(features(contenders, width_px, height_px) @ WEIGHTS)


def features(contenders: list[Contender], width_px: int, height_px: int) -> Numbers:
    """Return what speaks for and against each contender, (n, len(FEATURES))."""
    corners = np.array([contender.placed.corners for contender in contenders])
    placed = [contender.placed for contender in contenders]
    shares = np.sort([np.where(one.is_seen, one.shares, UNSEEN_SHARE) for one in placed], axis=1)
    lacks = np.maximum(np.array(PLAIN_SHARES) - shares[:, :2], 0)
    darker = np.array([_darker(contender) for contender in contenders])
    is_dark = darker > DARKER
    same_px = SAME_SHARE * max(width_px, height_px)
    plain_around, alike_around = np.zeros((2, len(contenders)))
    for at, contender in enumerate(contenders):
        for around in np.flatnonzero(encloses(corners, corners[at], same_px)):
            outer = contenders[around]
            least = min(shares[around, 0], share_beyond(outer.placed, corners[at], same_px))
            plain = least * (1 - outer.askew)
            plain_around[at] = max(plain_around[at], plain)
            if _lies_on(contender, outer):
                alike_around[at] = max(alike_around[at], plain)
    columns = (
        [contender.score for contender in contenders], lacks[:, 0], lacks[:, 1],
        [_aspect_off(outline, width_px, height_px) for outline in corners], darker,
        np.where(is_dark, plain_around, 0), np.where(is_dark, 0, plain_around), np.where(is_dark, 0, alike_around),
    )  # fmt: skip
    return np.column_stack(columns)


def shared_areas(contenders: list[Contender], other: Contender) -> Numbers:
    """Return how much of the smaller of the two each contender and another one have in common, (n,), 0 to 1."""
    common, own, theirs = _common_areas(contenders, other)
    return np.asarray(common / np.maximum(np.minimum(own, theirs), 1.0))


def overlaps(contenders: list[Contender], other: Contender) -> Numbers:
    """Return the intersection over the union of each contender and another one, (n,), 0 to 1."""
    common, own, theirs = _common_areas(contenders, other)
    return np.asarray(common / np.maximum(own + theirs - common, 1.0))


def are_pages_of(contenders: list[Contender], book: Contender) -> NDArray[np.bool_]:
    """Return which contenders are one of two that lie side by side in another one and fill it, as pages do a book.

    They may each look like a sheet: of the two readings the whole is the sheet.
    """
    outlines = np.array([contender.placed.corners for contender in contenders])
    shares = areas(outlines) / np.maximum(areas(book.placed.corners[None]), 1.0)
    is_within = (shares < PAGE_MOST) & (shared_areas(contenders, book) >= PAGE_WITHIN)
    are_pages = np.zeros(len(contenders), bool)
    for at in np.flatnonzero(is_within):
        is_apart = shared_areas(contenders, contenders[at]) <= 1 - PAGE_WITHIN
        is_other = is_within & is_apart & (np.abs(shares + shares[at] - 1) <= 1 - PAGE_WITHIN)
        are_pages[at] = is_other.any()
    return are_pages


def _common_areas(contenders: list[Contender], other: Contender) -> tuple[Numbers, Numbers, float]:
    """Return the area that each contender and another one have in common, (n,), their own, (n,), and the other's."""
    outlines = [np.asarray(contender.placed.corners, np.float32) for contender in contenders]
    theirs = np.asarray(other.placed.corners, np.float32)
    common = [cv2.intersectConvexConvex(own, theirs)[0] for own in outlines]
    return np.array(common), np.array([cv2.contourArea(own) for own in outlines]), cv2.contourArea(theirs)


def colours_apart(one: Numbers, other: Numbers) -> Numbers:
    """Return how far apart colours are, as a share of the brightness of the second; in the channel where most."""
    return np.asarray(np.abs(one - other).max(axis=-1) / np.maximum(other.mean(axis=-1), 20.0))


def scaled(places: Numbers, by: float) -> Numbers:
    """Return places in px as those of a picture that is so much larger."""
    return np.asarray((places + 0.5) * by - 0.5)


def _darker(contender: Contender) -> float:
    """Return by how much a contender is darker than what is around it, as a share; 0 where it is lighter."""
    inside, outside = contender.inside.mean(axis=1), contender.outside.mean(axis=1)
    return max(0.0, float(((outside - inside) / np.maximum(np.maximum(inside, outside), 20.0)).mean()))


def _lies_on(inner: Contender, outer: Contender) -> bool:
    """Return whether what is just outside of the one is what is just inside of the other, side by side."""
    beside = sides_beside(outer.corners, inner.corners)
    return bool(np.median(colours_apart(outer.inside, inner.outside[beside])) <= ALIKE_APART)


def _aspect_off(corners: Numbers, width_px: int, height_px: int) -> float:
    """Return how far the proportions of a sheet are off those of the nearest paper size, 0 to 1."""
    view = camera_view(order_corners(corners), width_px, height_px)
    if view is None:
        return 1.0
    tall = max(view.aspect, 1 / view.aspect)
    return float(min(np.abs(np.log(tall / np.array(PAPER_ASPECTS))).min() / ASPECT_OFF, 1.0))


def _off_px(quads: Numbers, other: Numbers) -> Numbers:
    """Return how far the corners of quadrilaterals (n, 4, 2) are off those of another where most, in any turn."""
    turned = np.array([np.roll(other, turns, axis=0) for turns in range(4)])
    return np.asarray(np.abs(quads[:, None] - turned).max(axis=(2, 3)).min(axis=1))
