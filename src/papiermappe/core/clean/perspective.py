"""A sheet on a table, seen by a camera: its four corners, and the sheet as if seen from straight above.

The aspect ratio of the sheet follows from its four corners, if the camera's middle is that of the picture (Z. Zhang,
L. He, "Whiteboard scanning and image enhancement", Digital Signal Processing 17, 2007, equations 11, 12, 14 and 20).
"""

import math
from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import crossing, fit_side
from papiermappe.core.geometry import order_corners
from papiermappe.core.picture import Pixels, checked, darkest_channel, lightest_channel

LOOK_PX = 480  # the longer side of the picture that is searched for the sheet
FIT_DPI = 150.0  # the resolution assumed for a picture of `FIT_PX` when its sides are placed
FIT_PX = 1400
PAPER_WHITE = 255
LEAST_SHARE = 0.06
CORNER_SHARES = (
    0.01,
    0.015,
    0.02,
    0.03,
    0.045,
    0.06,
)  # tolerances, as shares of the outline, tried in turn to simplify it to four corners
MAX_PX = 250_000_000
SURE = 0.5

Corners = NDArray[np.float64]
"""(4, 2) `(x, y)` in px, pixel centres at whole numbers: top left, top right, bottom right, bottom left."""


class PhotoCorners(NamedTuple):
    """Where the sheet is on a photo."""

    corners_px: Corners
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
    look = _shrunk_to(whole, LOOK_PX)
    fine = _shrunk_to(whole, FIT_PX)
    best = PhotoCorners(_edges(whole), 0.0)
    for mask in _masks(look):
        rough = _quad(mask)
        if rough is None:
            continue
        found = _placed(fine, (rough + 0.5) * (len(fine) / len(look)) - 0.5)
        if found.confidence > best.confidence:
            best = PhotoCorners((found.corners_px + 0.5) * (len(whole) / len(fine)) - 0.5, found.confidence)
        if best.confidence > 0.9:
            break
    return best


def rectify(photo: Pixels, corners_px: Corners) -> Pixels:
    """Return the sheet as seen from straight above, as large as its longest sides on the photo.

    Args:
        photo: grey (h, w) or RGB (h, w, 3), uint8.
        corners_px: of the sheet.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(photo, 300)
    height, width = rectified_size_px(corners_px, whole.shape[1], whole.shape[0])
    target = np.array(
        [(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)], np.float32
    )
    carry = cv2.getPerspectiveTransform(np.asarray(corners_px, np.float32), target)
    flat = cv2.warpPerspective(whole, carry, (width, height), flags=cv2.INTER_CUBIC, borderValue=(PAPER_WHITE,) * 3)
    return np.asarray(flat, np.uint8)


def rectified_size_px(corners_px: Corners, width_px: int, height_px: int) -> tuple[int, int]:
    """Return height and width of the sheet when it is seen from straight above."""
    first, second, third, fourth = np.asarray(corners_px, np.float64)
    across = max(math.dist(first, second), math.dist(fourth, third))
    down = max(math.dist(first, fourth), math.dist(second, third))
    aspect = _aspect(np.asarray(corners_px, np.float64), width_px, height_px) or across / max(down, 1.0)
    width, height = (across, across / aspect) if across >= down * aspect else (down * aspect, down)
    shrink = min(1.0, math.sqrt(MAX_PX / max(width * height, 1.0)))
    return max(1, round(height * shrink)), max(1, round(width * shrink))


def _aspect(corners: Corners, width_px: int, height_px: int) -> float | None:
    """Return the sheet's own width over its height; None if it is seen too straight on for that to be computed."""
    middle = np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    m1, m2, m4, m3 = (np.array([*(corner - middle), 1.0]) for corner in corners)
    with np.errstate(divide="ignore", invalid="ignore"):  # corners on one line give no aspect, below
        k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
        k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    sides = max(np.hypot(*(corners[0] - corners[1])), np.hypot(*(corners[0] - corners[3])))
    if max(abs(k2 - 1), abs(k3 - 1)) < 0.01 or abs(n2[2] * n3[2]) < 1e-6:
        return None
    focal_2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    if not (0.3 * sides) ** 2 < focal_2 < (30 * sides) ** 2:
        return None
    along = [(n[0] ** 2 + n[1] ** 2) / focal_2 + n[2] ** 2 for n in (n2, n3)]
    return float(math.sqrt(along[0] / along[1]))


def _edges(photo: Pixels) -> Corners:
    height, width = photo.shape[:2]
    return np.array([(-0.5, -0.5), (width - 0.5, -0.5), (width - 0.5, height - 0.5), (-0.5, height - 0.5)])


def _shrunk_to(photo: Pixels, longer_px: int) -> Pixels:
    scale = longer_px / max(photo.shape[:2])
    if scale >= 1:
        return photo
    size = max(1, round(photo.shape[1] * scale)), max(1, round(photo.shape[0] * scale))
    return np.asarray(cv2.resize(photo, size, interpolation=cv2.INTER_AREA), np.uint8)


def _masks(look: Pixels) -> Iterator[Pixels]:
    """Yield candidates for the sheet, (h, w), 0 or 255: what is least like the rim, what is bright, what is pale."""
    smooth = np.asarray(cv2.medianBlur(look, 5), np.uint8)
    palest = darkest_channel(smooth)
    yield _otsu(_unlike_rim(smooth))
    yield _otsu(palest)
    yield _otsu(lightest_channel(smooth))
    around = cv2.GaussianBlur(palest, (0, 0), LOOK_PX / 6)
    yield _otsu(cv2.divide(palest, np.maximum(around, 20), scale=128))


def _otsu(grey: cv2.typing.MatLike) -> Pixels:
    _, mask = cv2.threshold(np.asarray(grey, np.uint8), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    return np.asarray(mask, np.uint8)


def _unlike_rim(look: Pixels) -> Pixels:
    """Return how far each pixel is from what the rim shows near it, in levels."""
    height, width = look.shape[:2]
    rim = max(2, min(height, width) // 40)
    apart = np.zeros((height, width))
    for channel in np.moveaxis(look.reshape(height, width, -1), 2, 0):
        left, right = (np.median(part, axis=1) for part in (channel[:, :rim], channel[:, -rim:]))
        top, bottom = (np.median(part, axis=0) for part in (channel[:rim], channel[-rim:]))
        x, y = np.linspace(0, 1, width)[None], np.linspace(0, 1, height)[:, None]
        table = ((1 - x) * left[:, None] + x * right[:, None] + (1 - y) * top[None] + y * bottom[None]) / 2
        apart = np.maximum(apart, np.abs(channel - table))
    return np.clip(apart, 0, 255).astype(np.uint8)


def _quad(mask: Pixels) -> Corners | None:
    """Return the four corners of the largest area, its dents filled; None where it has not four."""
    closed = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((7, 7), np.uint8))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not contours:
        return None
    hull = cv2.convexHull(max(contours, key=cv2.contourArea))
    if cv2.contourArea(hull) < LEAST_SHARE * mask.size:
        return None
    for share in CORNER_SHARES:
        corners = cv2.approxPolyDP(hull, share * cv2.arcLength(hull, True), True)
        if len(corners) == 4:
            return order_corners(corners.reshape(4, 2).astype(np.float64))
    return None


def _placed(photo: Pixels, rough: Corners) -> PhotoCorners:
    """Place the four sides exactly."""
    fits = [fit_side(photo, FIT_DPI, rough[side], rough[(side + 1) % 4]) for side in range(4)]
    sides = [fit for fit in fits if fit is not None]
    if len(sides) < 4:
        return PhotoCorners(rough, 0.2)
    corners = np.array([crossing(sides[side - 1].line, sides[side].line) for side in range(4)])
    if not np.isfinite(corners).all() or np.abs(corners - rough).max() > 0.05 * max(photo.shape[:2]):
        return PhotoCorners(rough, 0.3)
    shares = [side.share for side in sides]
    return PhotoCorners(corners, float(np.sqrt(np.mean(shares) * min(1.0, 2 * min(shares)))))
