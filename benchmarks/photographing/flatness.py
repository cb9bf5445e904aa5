"""Whether flat sheets lie straight on the page that becomes of a photo."""

from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.second.photos import camera_photos
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.geometry import quad_px
from papiermappe.core.photo.rectified import outline_px, rectified_size_px
from papiermappe.core.picture import CapturedPicture

PAGES = 120
STRAIGHT_DEG = 0.2
DPI = 200.0


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures: of sheets that were made flat by themselves, and do not bow."""
    off = np.array(of_all(_off_deg, scaled(PAGES, share), seed))
    return [
        Row("skew: sheets made flat", str(off.size)),
        Row("    within 0.2 degrees", percent(float((off <= STRAIGHT_DEG).mean())), ">= 98 %"),
        Row("    median, worst", f"{np.median(off):.3f}, {off.max():.3f}"),
    ]


def _off_deg(numbers: range, seed: int) -> list[float]:
    found = []
    for photo in camera_photos(numbers, seed):
        if photo.trouble == "bulge":
            continue
        capture = CapturedPicture(encode_png(photo.pixels), DPI, by_camera=True)
        treatment = analyse(capture).treatment
        if treatment.corners is None or treatment.straighten is None:
            continue
        height, width = photo.pixels.shape[:2]
        corners = quad_px(treatment.corners, DPI)
        flat_height, flat_width = rectified_size_px(corners, width, height)
        target = outline_px(flat_width, flat_height).astype(np.float32)
        carry = cv2.getPerspectiveTransform(corners.astype(np.float32), target)
        true = cv2.perspectiveTransform(photo.corners[None].astype(np.float64), carry)[0]
        skew_deg = treatment.straighten.skew_deg if treatment.straighten.on else 0.0
        found.append(abs(_turn_deg(true) - skew_deg))
    return found


def _turn_deg(corners: NDArray[np.float64]) -> float:
    """Return by how much a sheet is turned, counter-clockwise: the mean of its four sides, from the nearest quarter."""
    turns = []
    for start, end in pairwise([*corners, corners[0]]):
        along = end - start
        turns.append((np.degrees(np.arctan2(-along[1], along[0])) + 45) % 90 - 45)
    return float(np.mean(turns))
