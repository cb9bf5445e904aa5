"""The camera that saw a sheet: its focal length and place, and the proportions that the sheet must have.

Corners tell both the focal length and the aspect ratio, if the camera's middle is that of the picture (Z. Zhang,
L. He, "Whiteboard scanning and image enhancement", Digital Signal Processing 17, 2007, equations 11, 12, 14 and 20).
Seen from almost straight above, or slanting along one side only, they tell next to nothing of the focal length. So all
focal lengths are weighed, by how square they make the sheet and by what is usual.
"""

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.curl import Eye

USUAL_FOCAL, FOCAL_OFF = 0.85, 0.25  # of the longer side of a picture; of its logarithm, one standard deviation
FOCALS = np.geomspace(0.35, 4.0, 41)  # of the longer side of a picture, that are weighed
CORNER_OFF_PX = 1.5  # one standard deviation, on a picture...
PLACED_PX = 1400  # ...whose longer side is so long: corners are placed on such a one
LEAST_OFF = 1e-4  # of the cosine between two sides

Corners = NDArray[np.float64]
"""(4, 2) `(x, y)` in px, pixel centres at whole numbers: top left, top right, bottom right, bottom left."""


class CameraView(NamedTuple):
    """What the corners of a sheet tell."""

    aspect: float
    """The sheet's own width over its height."""
    aspect_off: float
    """One standard deviation of its logarithm."""
    focal_px: float
    """The likely focal length of the camera."""


def camera_view(corners_px: Corners, width_px: int, height_px: int) -> CameraView | None:
    """Return what the corners of a sheet tell of it and of the camera; None of corners that are no quadrilateral.

    Args:
        corners_px: of the sheet.
        width_px: of the photo.
        height_px: of the photo.

    >>> square = np.array([(100.0, 100.0), (300.0, 100.0), (300.0, 300.0), (100.0, 300.0)])
    >>> round(camera_view(square, 400, 400).aspect, 3)
    1.0
    """
    longer_px = max(width_px, height_px)
    off_px = CORNER_OFF_PX * longer_px / PLACED_PX
    middle = np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    moved = np.eye(8).reshape(8, 4, 2) * off_px
    corners = np.asarray(corners_px, np.float64) - middle
    cosines, aspects = _sides(np.concatenate([corners[None], corners + moved]), FOCALS * longer_px)
    if not (np.isfinite(cosines).all() and np.isfinite(aspects).all()):
        return None
    square_off, aspect_off = (((values[1:] - values[0]) ** 2).sum(axis=0) for values in (cosines, aspects))
    square_off += LEAST_OFF**2
    usual = (np.log(FOCALS / USUAL_FOCAL) / FOCAL_OFF) ** 2
    speaks_for = -(cosines[0] ** 2 / square_off + np.log(square_off) + usual) / 2
    weights = np.exp(speaks_for - speaks_for.max())
    weights /= weights.sum()
    mean = float(weights @ aspects[0])
    variance = float(weights @ ((aspects[0] - mean) ** 2 + aspect_off))
    return CameraView(math.exp(mean), math.sqrt(variance), longer_px * math.exp(float(weights @ np.log(FOCALS))))


def eye_over(corners_px: Corners, width_px: int, height_px: int, size_mm: tuple[float, float]) -> Eye:
    """Return where the camera was, over a sheet whose corners it saw.

    Args:
        corners_px: of the sheet.
        width_px: of the photo.
        height_px: of the photo.
        size_mm: width and height of the sheet.
    """
    corners = np.asarray(corners_px, np.float64)
    view = camera_view(corners, width_px, height_px)
    focal = USUAL_FOCAL * max(width_px, height_px) if view is None else view.focal_px
    flat = np.array([(0, 0), (size_mm[0], 0), size_mm, (0, size_mm[1])], np.float32)
    centred = corners - np.array([(width_px - 1) / 2, (height_px - 1) / 2])
    carry = np.asarray(cv2.getPerspectiveTransform(flat, centred.astype(np.float32)), np.float64)
    seen = carry / np.array([[focal], [focal], [1.0]])
    across, down, origin = (seen / np.sqrt(np.linalg.norm(seen[:, 0]) * np.linalg.norm(seen[:, 1]))).T
    axes = np.column_stack([across, down, np.cross(across, down)])
    x_mm, y_mm, deep_mm = -np.linalg.solve(axes, origin)
    return Eye(float(x_mm), float(y_mm), abs(float(deep_mm)))


def _sides(corners: NDArray[np.float64], focals_px: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
    """Return the cosines between two sides of sheets, and the logarithms of their aspect ratios, (n, focals) each.

    Args:
        corners: (n, 4, 2), in px from the middle of the photo.
        focals_px: that the camera may have.
    """
    across, down = _far_points(corners)
    per_px = np.stack([1 / focals_px, 1 / focals_px, np.ones_like(focals_px)], axis=-1)
    across, down = across[:, None] * per_px, down[:, None] * per_px
    wide, tall = np.linalg.norm(across, axis=-1), np.linalg.norm(down, axis=-1)
    with np.errstate(divide="ignore", invalid="ignore"):  # corners that coincide
        return (across * down).sum(axis=-1) / (wide * tall), np.log(wide / tall)


def _far_points(corners: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return where the sides across and the sides down of sheets (n, 4, 2) seem to meet, `(x, y, w)`, (n, 3) each.

    They are as long as the sides are, one against the other.
    """
    m1, m2, m4, m3 = np.moveaxis(np.concatenate([corners, np.ones((*corners.shape[:-1], 1))], axis=-1), -2, 0)
    with np.errstate(divide="ignore", invalid="ignore"):  # corners on one line
        k2 = (np.cross(m1, m4) * m3).sum(axis=-1) / (np.cross(m2, m4) * m3).sum(axis=-1)
        k3 = (np.cross(m1, m4) * m2).sum(axis=-1) / (np.cross(m3, m4) * m2).sum(axis=-1)
        return k2[:, None] * m2 - m1, k3[:, None] * m3 - m1
