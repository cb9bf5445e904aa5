"""The sheet against its backing."""

from functools import reduce
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Quad, order_corners, px_to_mm
from papiermappe.core.picture import Pixels, shrunk

COARSE_DPI = 75
FINE_DPI = 150
LEAST_CONTRAST = 10  # grey levels between backing and paper; less cannot be told from uneven light
MOST_THRESHOLD = 22  # above it a picture on the sheet would be told from the sheet, not the sheet from its backing
PROFILES_A_SIDE = 80
REACH_MM = 3.0
SAMPLE_STEP = 4  # every fourth row and column is enough for a median


class SheetFrame(NamedTuple):
    """Where the sheet lies."""

    corners: Quad
    """Its corners in mm on the capture: top left, top right, bottom right, bottom left."""
    confidence: float
    """0 to 1; below 0.5 the frame is a guess. With 0 it is the whole capture."""


def find_sheet(capture: Pixels, dpi: float) -> SheetFrame:
    """Find the largest sheet on a capture.

    The backing is what the rim of the capture mostly shows. What differs from it, holes filled, is the sheet;
    each of its four sides is then placed by where the brightness steps along many short lines across it.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Returns:
        The frame; the whole capture with confidence 0 where no sheet stands out.
    """
    coarse, coarse_scale = _reduced(capture, dpi, COARSE_DPI)
    box = _sheet_box(_difference(coarse, _backing(coarse)))
    if box is None:
        return _whole(capture, dpi)
    fine, fine_scale = _reduced(capture, dpi, FINE_DPI)
    corners = _centred(box, coarse_scale, fine_scale)
    contrast = _paperness(fine, _backing(fine), corners)
    contrast = np.asarray(cv2.GaussianBlur(contrast, (0, 0), 1.0), np.float32)
    fits = [_fit_side(contrast, corners[side], corners[(side + 1) % 4]) for side in range(4)]
    refined = np.array([_crossing(fits[side - 1][0], fits[side][0]) for side in range(4)])
    if not np.isfinite(refined).all() or np.abs(refined - corners).max() > REACH_MM / px_to_mm(1, FINE_DPI):
        return SheetFrame(_to_mm(corners, dpi * fine_scale), 0.4)
    return SheetFrame(_to_mm(refined, dpi * fine_scale), float(np.mean([share for _, share in fits])))


def _reduced(capture: Pixels, dpi: float, to_dpi: float) -> tuple[Pixels, float]:
    """Return the capture at `to_dpi` or a little more, and the scale it now has."""
    by = max(1, int(dpi // to_dpi))
    if min(capture.shape[:2]) < by:
        by = 1
    return shrunk(capture, by), 1 / by


def _backing(picture: Pixels) -> NDArray[np.float32]:
    """Return the colour that the outermost rim mostly shows, (channels,)."""
    channels = picture.reshape(*picture.shape[:2], -1)
    rim = np.concatenate([channels[:2], channels[-2:]], axis=1).reshape(-1, channels.shape[2])
    sides = np.concatenate([channels[:, :2], channels[:, -2:]], axis=0).reshape(-1, channels.shape[2])
    return np.asarray(np.median(np.concatenate([rim, sides]), axis=0), np.float32)


def _difference(picture: Pixels, backing: NDArray[np.float32]) -> Pixels:
    """Return how far each pixel is from the backing in the channel where it is farthest, in grey levels, (h, w)."""
    plain = np.broadcast_to(np.rint(backing).astype(np.uint8), picture.reshape(*picture.shape[:2], -1).shape)
    apart = cv2.absdiff(picture, np.ascontiguousarray(plain).reshape(picture.shape))
    return np.asarray(apart if apart.ndim == 2 else reduce(cv2.max, cv2.split(apart)), np.uint8)


def _paperness(picture: Pixels, backing: NDArray[np.float32], corners: NDArray[np.float64]) -> NDArray[np.float32]:
    """Return how far each pixel has come from the backing towards the colour of the sheet, in grey levels, (h, w).

    A shadow beside the sheet counts as less than nothing, so that it is not taken for the sheet.
    """
    inside = np.zeros(picture.shape[:2], np.uint8)
    cv2.fillConvexPoly(inside, np.rint(corners).astype(np.int32), 255)
    sample = picture.reshape(*picture.shape[:2], -1)[::SAMPLE_STEP, ::SAMPLE_STEP][
        inside[::SAMPLE_STEP, ::SAMPLE_STEP] > 0
    ]
    towards = (np.median(sample, axis=0) if len(sample) else backing) - backing
    weights = towards / max(float(np.linalg.norm(towards)), 1e-6)
    offset = -float(backing @ weights)
    return np.asarray(cv2.transform(picture.astype(np.float32), np.array([[*weights, offset]], np.float32)), np.float32)


def _sheet_box(difference: Pixels) -> NDArray[np.float64] | None:
    """Return the corners `(x, y)`, (4, 2), of the smallest rectangle round the largest differing area."""
    smooth = cv2.medianBlur(difference, 3)
    between, _ = cv2.threshold(smooth, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    _, mask = cv2.threshold(smooth, np.clip(between, LEAST_CONTRAST, MOST_THRESHOLD), 255, cv2.THRESH_BINARY)
    opened = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not contours:
        return None
    largest = max(contours, key=cv2.contourArea)
    if cv2.contourArea(largest) < 0.01 * difference.size:
        return None
    return order_corners(cv2.boxPoints(cv2.minAreaRect(cv2.convexHull(largest))).astype(np.float64))


def _centred(box: NDArray[np.float64], coarse_scale: float, fine_scale: float) -> NDArray[np.float64]:
    """Carry places from the coarse to the fine picture; pixel centres lie at whole numbers in both."""
    return (box + 0.5) * (fine_scale / coarse_scale) - 0.5


def _fit_side(
    contrast: NDArray[np.float32], start: NDArray[np.float64], end: NDArray[np.float64]
) -> tuple[NDArray[np.float64], float]:
    """Place one side of the sheet.

    Returns:
        The line as `(x, y, dx, dy)` and the share of the profiles that agree with it within half a pixel.
    """
    along = (end - start) / max(float(np.hypot(*(end - start))), 1e-9)
    inward = np.array([-along[1], along[0]])
    reach_px = int(REACH_MM / px_to_mm(1, FINE_DPI))
    offsets = np.arange(-reach_px, reach_px + 1, dtype=np.float64)
    feet = start + np.linspace(0.04, 0.96, PROFILES_A_SIDE)[:, None] * (end - start)
    places = (feet[:, None, :] + offsets[None, :, None] * inward).astype(np.float32)
    height, width = contrast.shape
    profiles = cv2.remap(contrast, places[..., 0], places[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    steps = np.diff(profiles, axis=1)
    top = np.argmax(steps, axis=1)
    points = feet + (offsets[top] + 0.5 + _peak_shift(steps, top))[:, None] * inward
    seen = (steps.max(axis=1) > LEAST_CONTRAST / 8) & _inside(points, width, height)
    if seen.sum() < PROFILES_A_SIDE // 5:
        return np.array([*start, *along]), 0.0
    dx, dy, x, y = cv2.fitLine(points[seen].astype(np.float32), cv2.DIST_WELSCH, 1.0, 0.001, 0.001).ravel()
    away_px = np.abs((points[:, 0] - x) * dy - (points[:, 1] - y) * dx)
    return np.array([x, y, dx, dy], np.float64), float((seen & (away_px < 0.75)).mean())


def _peak_shift(steps: NDArray[np.float32], top: NDArray[np.intp]) -> NDArray[np.float64]:
    """Return by how much the true top of each row lies beside its greatest value, -0.5 to 0.5, by a parabola."""
    inner = np.clip(top, 1, steps.shape[1] - 2)
    rows = np.arange(len(top))
    before, at, after = (steps[rows, inner + shift].astype(np.float64) for shift in (-1, 0, 1))
    bend = before - 2 * at + after
    shift = np.divide(0.5 * (before - after), bend, out=np.zeros(len(top)), where=np.abs(bend) > 1e-6)
    return np.clip(shift, -0.5, 0.5)


def _inside(points: NDArray[np.float64], width: int, height: int) -> NDArray[np.bool_]:
    return (points[:, 0] > 0) & (points[:, 0] < width - 1) & (points[:, 1] > 0) & (points[:, 1] < height - 1)


def _crossing(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return where two lines `(x, y, dx, dy)` cross; not finite where they are level."""
    matrix = np.array([[one[2], -other[2]], [one[3], -other[3]]])
    if abs(np.linalg.det(matrix)) < 1e-6:
        return np.full(2, np.inf)
    way, _ = np.linalg.solve(matrix, other[:2] - one[:2])
    return np.asarray(one[:2] + way * one[2:], np.float64)


def _to_mm(corners: NDArray[np.float64], dpi: float) -> Quad:
    """Return corners in px, pixel centres at whole numbers, as mm from the top left of the picture."""
    first, second, third, fourth = ((px_to_mm(float(x) + 0.5, dpi), px_to_mm(float(y) + 0.5, dpi)) for x, y in corners)
    return (first, second, third, fourth)


def _whole(capture: Pixels, dpi: float) -> SheetFrame:
    width_mm, height_mm = px_to_mm(capture.shape[1], dpi), px_to_mm(capture.shape[0], dpi)
    return SheetFrame(((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm)), 0.0)
