"""A sheet told from the empty table that was seen before it: on patterns, of which edges alone say little."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import order_corners
from papiermappe.core.photo.corners import PhotoCorners, place_corners
from papiermappe.core.picture import Pixels

LOOK_PX = 320  # the longer side of what is compared
APART_LEVELS = 22.0
JOINED_SHARE = 0.03  # of the longer side: print on a sheet may be like the table behind it
SAME_SHARE, OTHER_SHARE = 0.02, 0.85  # of the picture: what differs less is the same table, what differs more another
LEAST_SHARE = 0.04  # of the picture, that a sheet covers
LEAST_SOLID = 0.85  # of the four corners' area

Look = NDArray[np.float32]
"""A small picture of a table, RGB (h, w, 3)."""


def small_look(frame: Pixels) -> Look:
    """Return a frame, RGB (h, w, 3), as tables are compared."""
    scale = LOOK_PX / max(frame.shape[:2])
    size = max(1, round(frame.shape[1] * scale)), max(1, round(frame.shape[0] * scale))
    return np.asarray(cv2.resize(frame, size, interpolation=cv2.INTER_AREA), np.float32)


def is_as_before(look: Look, bare: Look) -> bool:
    """Return whether a table is seen as before, or quite another one: not one with something on it."""
    share = float(_differs(look, bare).mean())
    return share < SAME_SHARE or share > OTHER_SHARE


def sheet_on(frame: Pixels, bare: Look) -> PhotoCorners | None:
    """Return the corners of the one sheet by which a frame differs from the empty table; None where it is none.

    Args:
        frame: RGB (h, w, 3).
        bare: the table before, by the same camera.
    """
    look = small_look(frame)
    if look.shape != bare.shape:
        return None
    differs = _differs(look, bare).astype(np.uint8)
    joined = round(JOINED_SHARE * LOOK_PX) | 1
    whole = cv2.morphologyEx(differs, cv2.MORPH_CLOSE, np.ones((joined, joined), np.uint8))
    outlines, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = max(outlines, key=cv2.contourArea, default=None)
    if outline is None or cv2.contourArea(outline) < LEAST_SHARE * differs.size:
        return None
    hull = cv2.convexHull(outline)
    corners = cv2.approxPolyDP(hull, 0.03 * cv2.arcLength(hull, closed=True), closed=True).reshape(-1, 2)
    if len(corners) != 4 or cv2.contourArea(outline) < LEAST_SOLID * cv2.contourArea(hull):
        return None
    by = max(frame.shape[:2]) / LOOK_PX
    return place_corners(frame, order_corners((corners + 0.5) * by - 0.5))


def _differs(look: Look, bare: Look) -> NDArray[np.bool_]:
    """Return where a table differs from before, (h, w); the camera may have set its brightness anew."""
    off = look - bare
    off -= np.median(off.reshape(-1, off.shape[2]), axis=0)
    return np.asarray(np.abs(off).max(axis=2) > APART_LEVELS)
