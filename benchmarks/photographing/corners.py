"""Camera pictures: the corners of the sheet, and the aspect ratio that is recovered, on photos of two generators.

The weights of the evidence were fitted on photos of the first; the second has other code and was not used for that.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus.photos import photos
from benchmarks.second.photos import camera_photos
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.photo import PhotoCorners, find_corners, rectify
from papiermappe.core.picture import Pixels

PAGES = 300
GOOD = 0.95
"""Intersection over union: nothing that people see is missing."""


class _Judged(NamedTuple):
    kind: str
    trouble: str
    overlap: float
    sure: bool
    aspect_off: float
    """As a share."""


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    first = of_all(judge_photos, scaled(PAGES, share), seed)
    second = of_all(_judge_second, scaled(PAGES, share), seed)
    return [*_rows("first generator", first), *_rows("second generator", second)]


def _rows(title: str, found: list[_Judged]) -> list[Row]:
    overlap, sure, aspect = (np.array([one[at] for one in found]) for at in (2, 3, 4))
    rows = [
        Row(f"{title}: photos", str(len(found))),
        Row("    intersection over union, mean", f"{overlap.mean():.4f}", ">= 0.985"),
        Row("    at least 0.95", percent(float((overlap >= GOOD).mean())), ">= 99 %"),
        Row("    under 0.95 though sure", str(int((overlap[sure] < GOOD).sum())), "0"),
        Row("    sure", percent(float(sure.mean()))),
        Row("    aspect ratio off, median", percent(float(np.median(aspect)))),
    ]
    for at, names in ((0, "table"), (1, "trouble")):
        for name in dict.fromkeys(one[at] for one in found):
            mine = np.array([one[at] == name for one in found])
            good = int((overlap[mine] >= GOOD).sum())
            rows.append(
                Row(f"        {names} {name or 'none'}", f"{overlap[mine].mean():.4f}", f"{good} of {mine.sum()} good")
            )
    return rows


def judge_photos(numbers: range, seed: int) -> list[_Judged]:
    """Find the corners on photos of the first generator, and judge them."""
    judged = []
    for photo in photos(numbers, seed):
        sides_mm = photo.paper.width_mm, photo.paper.height_mm
        judged.append(_judged(photo.kind, photo.trouble, photo.pixels, photo.corners_px, sides_mm))
    return judged


def _judge_second(numbers: range, seed: int) -> list[_Judged]:
    return [
        _judged(photo.table, photo.trouble, photo.pixels, photo.corners, photo.sides_mm)
        for photo in camera_photos(numbers, seed)
    ]


def _judged(
    kind: str, trouble: str, pixels: Pixels, truth: NDArray[np.float64], sides_mm: tuple[float, float]
) -> _Judged:
    seen = find_corners(pixels)
    height, width = rectify(pixels, seen.corners_px).shape[:2]
    short, long = sorted(sides_mm)
    aspect_off = abs(max(height, width) / min(height, width) * short / long - 1)
    return _Judged(kind, trouble, _overlap(seen, truth), seen.confidence >= 0.5, float(aspect_off))


def _overlap(seen: PhotoCorners, truth: NDArray[np.float64]) -> float:
    one, other = np.array(seen.corners_px, np.float32), truth.astype(np.float32)
    common, _ = cv2.intersectConvexConvex(one, other)
    return float(common / (cv2.contourArea(one) + cv2.contourArea(other) - common))
