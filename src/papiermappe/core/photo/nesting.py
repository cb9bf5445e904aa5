"""Quadrilaterals that lie within others, as a picture within its sheet, or a sheet within one that takes in more."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.photo.lines import Numbers
from papiermappe.core.photo.quads import Index, areas
from papiermappe.core.photo.sides import ALONG_SIDE, Placed

LARGER = 1.03  # the area of a quadrilateral against that of one within it, at least
OUTSIDE_SHARE = 0.01  # of its size: so far a quadrilateral may reach out of the one that it is within
LEAST_APART = 2  # of its corners
LEAST_PLACES = 2  # beyond the side of another quadrilateral: of fewer nothing is known


def encloses(outer: Numbers, inner: Numbers, same_px: float) -> NDArray[np.bool_]:
    """Return which quadrilaterals (n, 4, 2), clockwise, another one (4, 2) is within, as a picture is within its sheet.

    They may share corners: no more than two, or the one is but the other with a corner elsewhere.

    >>> square = np.array([(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0)])
    >>> encloses(square[None], square * (1, 0.8), same_px=5.0).tolist()
    [True]
    """
    along = np.roll(outer, -1, axis=1) - outer
    length = np.maximum(np.linalg.norm(along, axis=2), 1)
    away = inner[None, None] - outer[:, :, None]
    depth = (along[..., None, 0] * away[..., 1] - along[..., None, 1] * away[..., 0]) / length[..., None]
    is_inside = depth.min(axis=(1, 2)) > -OUTSIDE_SHARE * np.sqrt(areas(outer))
    is_larger = areas(outer) >= LARGER * areas(inner[None])
    to_corner = np.linalg.norm(inner[None, :, None] - outer[:, None], axis=3).min(axis=2)
    return np.asarray(is_inside & is_larger & ((to_corner >= same_px).sum(axis=1) >= LEAST_APART))


def sides_beside(outer: Numbers, inner: Numbers) -> Index:
    """Return for each side of a quadrilateral (4, 2) the side of one within it that runs along it, (4,)."""
    apart = [np.linalg.norm(outer - np.roll(inner, -turns, axis=0), axis=1).sum() for turns in range(4)]
    return np.asarray((np.arange(4) + int(np.argmin(apart))) % 4, np.intp)


def share_beyond(outer: Placed, inner: Numbers, same_px: float) -> float:
    """Return along how much of the sides of a quadrilateral its step is seen beyond those of one within it, 0 to 1.

    Those sides count that the two have in common. Where a sheet ends its sides end, and what lies beside it is no part
    of it; where a line is printed from rim to rim they go on.

    Args:
        outer: the quadrilateral.
        inner: corners of the one within it, (4, 2), clockwise.
        same_px: how near the sides are that they have in common.
    """
    at = sides_beside(outer.corners, inner)
    starts, ends = inner[at], inner[(at + 1) % 4]
    along = np.roll(outer.corners, -1, axis=0) - outer.corners
    square = np.maximum((along**2).sum(axis=1), 1)
    begin, end = (((places - outer.corners) * along).sum(axis=1) / square for places in (starts, ends))
    normal = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.sqrt(square)[:, None]
    is_common = np.all([np.abs(((places - outer.corners) * normal).sum(axis=1)) < same_px for places in (starts, ends)],
                       axis=0)  # fmt: skip
    is_beyond = (begin[:, None] > ALONG_SIDE) | (end[:, None] < ALONG_SIDE)
    places = is_beyond & is_common[:, None] & outer.seen
    return float(outer.shows[places].mean()) if places.sum() >= LEAST_PLACES else 1.0
