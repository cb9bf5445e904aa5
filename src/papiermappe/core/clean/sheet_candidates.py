"""What may be a sheet: areas that differ from the backing.

The backing is what the rim of the capture mostly shows. A sheet differs from it in brightness or in tint; where both
are white there is no such area, and its edges have to be found as lines (`lines.py`).
"""

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px, order_corners
from papiermappe.core.picture import Pixels, lightest_channel

COARSE_DPI = 75
PLAIN_LEVELS = 14  # backing and paper that differ by this are plainly different
MAX_THRESHOLD = 22  # a higher one would separate a picture from the sheet instead of the sheet from its backing
SHADE_LEVELS = 12  # a lower threshold, for paper that is closer to its backing
LEAST_SHARE = 0.004  # of the capture: anything smaller is not a sheet
MAX_SHARE = 0.985  # of the capture: anything larger is not a sheet on a backing
LEAST_SIDE_MM = 20.0
FILLED_SHARE = 0.75  # a sheet fills at least this share of its rectangle
SHADOW_MM = 3.0
ELSEWHERE_SHARE = 0.004
TINT_LEVELS = 3.0

Corners = NDArray[np.float64]
"""Top left, top right, bottom right, bottom left, (4, 2) `(x, y)` in px."""


class Coarse(NamedTuple):
    """A capture at about 75 dpi, which is enough to see where a sheet may be."""

    picture: Pixels
    dpi: float
    by: int
    """How many px of the capture a side of a px is."""

    def to_capture(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return places `(x, y)`, pixel centres at whole numbers, in px of the capture."""
        return (places + 0.5) * self.by - 0.5

    def from_capture(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return places in px of the capture in px of this picture."""
        return (places + 0.5) / self.by - 0.5


def coarse(capture: Pixels, dpi: float) -> Coarse:
    """Return a capture with each side divided by a whole number: the mean of some of the pixels, which is quick."""
    by = max(1, int(dpi // COARSE_DPI))
    if by == 1 or min(capture.shape[:2]) < 8 * by:
        return Coarse(capture, dpi, 1)
    height, width = capture.shape[0] // by, capture.shape[1] // by
    whole = capture[: height * by, : width * by]
    small = cv2.resize(whole, (width, height), interpolation=cv2.INTER_LINEAR)
    return Coarse(np.asarray(small, np.uint8), dpi / by, by)


def areas_apart(small: Coarse) -> Iterator[list[Corners]]:
    """Yield the smallest rectangles round the areas that differ from the backing, in px, for each way to differ.

    The plainest way comes first, and in each the largest area. Ways in which much differs beside the rectangles, as
    print does beside a picture on a sheet, are left out.
    """
    for mask, different in _masks(small.picture):
        boxes = boxes_of(mask, small.dpi)
        if not lies_on_sheet(different, boxes, small.dpi):
            yield [small.to_capture(box) for box in boxes]


def _masks(picture: Pixels) -> Iterator[tuple[Pixels, Pixels]]:
    """Yield where a picture differs from its backing in one way, and where it does in any, (h, w), 0 or 255.

    The plainest way to differ comes first.
    """
    rims = _rims(picture)
    for number, backing in enumerate(_groups(rims, rims, PLAIN_LEVELS)):
        smooth = cv2.medianBlur(_difference(picture, backing), 3)
        between, _ = cv2.threshold(smooth, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
        levels = (min(max(between, PLAIN_LEVELS / 2), most) for most in (MAX_THRESHOLD, SHADE_LEVELS))
        for level in dict.fromkeys(levels):
            mask = np.asarray(cv2.threshold(smooth, level, 255, cv2.THRESH_BINARY)[1], np.uint8)
            # If the darker part of the rim is not backing, it is sheet.
            yield _touching_rim(mask) if number else mask, mask
    if picture.ndim == 3:
        for backing in _groups(rims, rims - rims.mean(axis=1, keepdims=True), TINT_LEVELS):
            tint = cv2.medianBlur(_tint_difference(picture, backing), 5)
            mask = np.asarray(cv2.threshold(tint, TINT_LEVELS, 255, cv2.THRESH_BINARY)[1], np.uint8)
            _, plain = cv2.threshold(_difference(picture, backing), MAX_THRESHOLD, 255, cv2.THRESH_BINARY)
            yield mask, np.asarray(cv2.max(mask, plain), np.uint8)


def lies_on_sheet(mask: Pixels, boxes: list[NDArray[np.float64]], dpi: float) -> bool:
    """Tell whether much differs from the backing beside the boxes: then what is in them is printed on a sheet."""
    inside = np.zeros_like(mask)
    for box in boxes:
        cv2.fillConvexPoly(inside, np.rint(box).astype(np.int32), 255)
    area = cv2.countNonZero(inside)
    reach = 2 * round(mm_to_px(SHADOW_MM, dpi)) + 1
    near = cv2.dilate(inside, np.ones((reach, reach), np.uint8))
    return cv2.countNonZero(cv2.subtract(mask, near)) > ELSEWHERE_SHARE * max(area, 1)


def _touching_rim(mask: Pixels) -> Pixels:
    _, labels = cv2.connectedComponents(mask, connectivity=8)
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    return np.where((labels > 0) & np.isin(labels, rim), np.uint8(255), np.uint8(0))


def _rims(picture: Pixels) -> NDArray[np.float32]:
    """Return the colour that each side of the rim mostly shows, (4, channels)."""
    channels = picture.reshape(*picture.shape[:2], -1)
    sides = (channels[:2], channels[-2:], channels[:, :2], channels[:, -2:])
    return np.array([np.median(side.reshape(-1, channels.shape[2]), axis=0) for side in sides], np.float32)


def _groups(rims: NDArray[np.float32], by: NDArray[np.float32], within: float) -> list[NDArray[np.float32]]:
    """Return the colours of the rim that are apart in what they are compared by, the darkest first."""
    like = np.abs(by - by[rims.sum(axis=1).argmin()]).max(axis=1) < within
    return [np.median(group, axis=0) for group in (rims[like], rims[~like]) if len(group)]


def _difference(picture: Pixels, backing: NDArray[np.float32]) -> Pixels:
    """Return how far each pixel is from the backing in the channel where it is farthest, in grey levels, (h, w)."""
    away = np.abs(np.arange(256)[:, None] - np.rint(backing)).astype(np.uint8)[None]  # (1, 256, channels)
    return lightest_channel(np.asarray(cv2.LUT(picture, away if picture.ndim == 3 else away[..., 0]), np.uint8))


def _tint_difference(picture: Pixels, backing: NDArray[np.float32]) -> Pixels:
    """Return how far each pixel is from the backing in tint, brightness left out, (h, w)."""
    shades = [backing[at] - backing[(at + 1) % 3] for at in range(3)]
    channels = [channel.astype(np.int16) for channel in cv2.split(picture)]
    apart = [np.abs(channels[at] - channels[(at + 1) % 3] - np.int16(round(float(shades[at])))) for at in range(3)]
    farthest = np.maximum(np.maximum(apart[0], apart[1]), apart[2])
    return np.asarray(np.minimum(farthest * 2 // 3, 255), np.uint8)


def boxes_of(mask: Pixels, dpi: float) -> list[NDArray[np.float64]]:
    """Return the corners `(x, y)`, (4, 2), of the smallest rectangles round the areas, the largest first."""
    if mask.mean() > 255 * MAX_SHARE:
        return []
    opened = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    boxes = []
    for contour in sorted(contours, key=cv2.contourArea, reverse=True):
        area = cv2.contourArea(contour)
        if area < LEAST_SHARE * mask.size:
            break
        box = cv2.minAreaRect(cv2.convexHull(contour))
        if min(box[1]) >= mm_to_px(LEAST_SIDE_MM, dpi) and area >= FILLED_SHARE * box[1][0] * box[1][1]:
            boxes.append(order_corners(cv2.boxPoints(box).astype(np.float64)))
    return boxes
