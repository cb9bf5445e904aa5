"""Camera pictures: the corners of the sheet, and the aspect ratio that is recovered."""

import cv2
import numpy as np

from benchmarks.corpus.photos import photos
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.clean import find_corners, rectify

PAGES = 200


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    found = of_all(_judged, scaled(PAGES, share), seed)
    overlap, sure, aspect = (np.array([one[at] for one in found]) for at in (1, 2, 3))
    rows = [
        Row("intersection over union, mean", f"{overlap.mean():.4f}", ">= 0.98"),
        Row("intersection over union, worst", f"{overlap.min():.4f}"),
        Row("under 0.95 though sure", str(int((overlap[sure] < 0.95).sum()))),
        Row("sure", percent(float(sure.mean()))),
        Row("aspect ratio off, median", percent(float(np.median(aspect)))),
    ]
    for kind in dict.fromkeys(one[0] for one in found):
        mine = np.array([one[0] == kind for one in found])
        rows.append(Row(f"    {kind}", f"{overlap[mine].mean():.4f}", f"worst {overlap[mine].min():.4f}"))
    return rows


def _judged(numbers: range, seed: int) -> list[tuple[str, float, bool, float]]:
    found = []
    for photo in photos(numbers, seed):
        seen = find_corners(photo.pixels)
        one, other = np.array(seen.corners_px, np.float32), photo.corners_px.astype(np.float32)
        common, _ = cv2.intersectConvexConvex(one, other)
        overlap = common / (cv2.contourArea(one) + cv2.contourArea(other) - common)
        height, width = rectify(photo.pixels, seen.corners_px).shape[:2]
        sides = sorted((photo.paper.width_mm, photo.paper.height_mm))
        aspect = abs(max(height, width) / min(height, width) * sides[0] / sides[1] - 1)
        found.append((photo.kind, float(overlap), seen.confidence >= 0.5, float(aspect)))
    return found
