"""Straight edges that go through a quadrilateral from side to side: an outline of two papers has one, a sheet has none.

What is printed ends before a sheet's rim. A fold may run through all of a sheet, but along its sides; the rim of a
paper that lies on another, or beside it, runs askew.
"""

import cv2
import numpy as np

from papiermappe.core.photo.lines import Numbers, directions
from papiermappe.core.photo.quads import Index
from papiermappe.core.photo.tracks import Tracks

PARTS = 6  # of an edge: that along which least of it is seen counts
LEAST_PART_PX = 4  # on the picture: of a part that is shorter nothing is known
LEAST_DEPTH = 0.04  # of the sheet: an edge whose middle is nearer to a side is that side
ASKEW_DEG = 4.0  # on the sheet, against its sides
PLAIN = 0.5  # of its least part: an edge that is seen along less may be rows of print
SHEET = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], np.float32)
WEIGHTS = np.array([-4.01, -1.48])
"""Of an edge that goes through askew, and of one along the sides: beside those of the evidence, fitted with them."""
PARALLEL = 1e-9  # a line that gets inward by less is taken to get so much: it meets the side far off


def crossings(tracks: Tracks, corners: Numbers, width: int, height: int) -> Numbers:
    """Return how plainly straight edges go through quadrilaterals, (n, 2), 0 to 1: askew, and along two of the sides.

    Args:
        tracks: of the lines that were found on a picture.
        corners: (n, 4, 2), clockwise, in px of that picture.
        width: of the picture, in px.
        height: of it.
    """
    normal, way = directions(tracks.lines)
    feet = normal * tracks.lines[:, 1:2] + [(width - 1) / 2, (height - 1) / 2]
    start, end = _within(feet, way, corners)
    quad, line = np.nonzero(end - start > PARTS * LEAST_PART_PX)
    start, end = start[quad, line], end[quad, line]
    to_sheet = _to_sheets(corners)[quad]
    begins, ends = (_seen_on_sheet(feet[line] + at[:, None] * way[line], to_sheet) for at in (start, end))
    middle, (across, down) = (begins + ends) / 2, np.abs(ends - begins).T
    is_within = np.minimum(middle, 1 - middle).min(axis=1) >= LEAST_DEPTH
    is_askew = np.minimum(across, down) >= np.tan(np.radians(ASKEW_DEG)) * np.maximum(across, down)
    places = start[:, None] + (end - start)[:, None] * np.linspace(0, 1, PARTS + 1)
    plain = np.maximum(_least_shares(tracks, line, places) - PLAIN, 0) / (1 - PLAIN) * is_within
    most = np.zeros((len(corners), 2))
    np.maximum.at(most, (quad, np.where(is_askew, 0, 1)), plain)
    return most


def _within(feet: Numbers, way: Numbers, corners: Numbers) -> tuple[Numbers, Numbers]:
    """Return between which places each line is within each quadrilateral, (n, lines) each.

    The end comes first where it is not within.
    """
    along = np.roll(corners, -1, axis=1) - corners
    inward = np.stack([-along[..., 1], along[..., 0]], axis=-1)
    speed = inward @ way.T
    depth = inward @ feet.T - (inward * corners).sum(axis=-1)[..., None]
    place = -depth / np.where(np.abs(speed) < PARALLEL, PARALLEL, speed)
    gets_in = speed > -PARALLEL
    return np.where(gets_in, place, -np.inf).max(axis=1), np.where(gets_in, np.inf, place).min(axis=1)


def _to_sheets(corners: Numbers) -> Numbers:
    """Return the homographies from quadrilaterals to the unit square, (n, 3, 3)."""
    found = [cv2.getPerspectiveTransform(outline, SHEET) for outline in corners.astype(np.float32)]
    return np.asarray(np.array(found, np.float64).reshape(-1, 3, 3))


def _seen_on_sheet(places: Numbers, to_sheet: Numbers) -> Numbers:
    """Return places of the picture, (m, 2), as those of the sheet, each by a homography of its own."""
    x, y, scale = np.einsum("mij,mj->im", to_sheet, np.column_stack([places, np.ones(len(places))]))
    return np.column_stack([x / scale, y / scale])


def _least_shares(tracks: Tracks, lines: Index, places: Numbers) -> Numbers:
    """Return along how much of the parts between places (m, parts + 1) an edge runs, where it does least, (m,)."""
    at = np.clip(np.rint(places + tracks.reach), 0, tracks.edge.shape[1] - 1).astype(np.intp)
    edge, seen = (np.diff(sums[lines[:, None], at], axis=1) for sums in (tracks.edge, tracks.seen))
    shares = np.where(seen >= LEAST_PART_PX, edge / np.maximum(seen, 1), np.inf)
    least = shares.min(axis=1, initial=np.inf)
    return np.where(np.isfinite(least), least, 0.0)
