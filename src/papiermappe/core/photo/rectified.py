"""A sheet that a camera saw slanting, as if seen from straight above.

The aspect ratio of the sheet follows from its four corners, if the camera's middle is that of the picture (Z. Zhang,
L. He, "Whiteboard scanning and image enhancement", Digital Signal Processing 17, 2007, equations 11, 12, 14 and 20).
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.paper import A4, ID_CARD, LETTER
from papiermappe.core.picture import Pixels, checked

PAPER_WHITE = 255
MAX_PX = 250_000_000
PAPER_ASPECTS = tuple(max(paper[1:]) / min(paper[1:]) for paper in (A4, LETTER, ID_CARD))
MOST_FORESHORTENED = 2.2  # seen from under 27 degrees above the table; more comes of corners that are not exact
SAME_ASPECT = 0.025  # of a ratio's logarithm: what corners on photos tell of it is mostly as exact

Corners = NDArray[np.float64]
"""(4, 2) `(x, y)` in px, pixel centres at whole numbers: top left, top right, bottom right, bottom left."""


def outline_px(width_px: int, height_px: int) -> Corners:
    """Return the corners of a whole picture.

    >>> outline_px(4, 3)[2].tolist()
    [3.5, 2.5]
    """
    right, bottom = width_px - 0.5, height_px - 0.5
    return np.array([(-0.5, -0.5), (right, -0.5), (right, bottom), (-0.5, bottom)])


def rectify(photo: Pixels, corners_px: Corners, scale: float = 1.0) -> Pixels:
    """Return the sheet as seen from straight above, as large as its longest sides on the photo.

    Args:
        photo: grey (h, w) or RGB (h, w, 3), uint8.
        corners_px: of the sheet.
        scale: of the result; less than a half leaves out much of the print.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(photo, 300)
    size = rectified_size_px(corners_px, whole.shape[1], whole.shape[0])
    height, width = (max(1, round(side * scale)) for side in size)
    target = outline_px(width, height).astype(np.float32)
    carry = cv2.getPerspectiveTransform(np.asarray(corners_px, np.float32), target)
    flat = cv2.warpPerspective(whole, carry, (width, height), flags=cv2.INTER_CUBIC, borderValue=(PAPER_WHITE,) * 3)
    return np.asarray(flat, np.uint8)


def rectified_size_px(corners_px: Corners, width_px: int, height_px: int) -> tuple[int, int]:
    """Return height and width of the sheet when it is seen from straight above."""
    first, second, third, fourth = np.asarray(corners_px, np.float64)
    across = max(math.dist(first, second), math.dist(fourth, third))
    down = max(math.dist(first, fourth), math.dist(second, third))
    seen = across / max(down, 1.0)
    true = _aspect(np.asarray(corners_px, np.float64), width_px, height_px) or seen
    aspect = _of_paper(true if 1 / MOST_FORESHORTENED < true / seen < MOST_FORESHORTENED else seen)
    width, height = (across, across / aspect) if across >= down * aspect else (down * aspect, down)
    shrink = min(1.0, math.sqrt(MAX_PX / max(width * height, 1.0)))
    return max(1, round(height * shrink)), max(1, round(width * shrink))


def _of_paper(aspect: float) -> float:
    """Return the aspect ratio of the paper size that is nearest, where one is near; else the one given."""
    tall = max(aspect, 1 / aspect)
    nearest = min(PAPER_ASPECTS, key=lambda known: abs(math.log(tall / known)))
    if abs(math.log(tall / nearest)) > SAME_ASPECT:
        return aspect
    return nearest if aspect >= 1 else 1 / nearest


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
