"""Dark rims on the second generator: scans that are clean once they are cropped and wiped, and print that is lost."""

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.second.papers import DPI
from benchmarks.second.rims import KINDS, rimmed
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.analysis import analyse
from papiermappe.core.clean.clearing import cleared
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.operations.rims import strips_on
from papiermappe.core.treatment import Treatment, cleared_areas, page_box

SCANS = 240
DARK_MM2 = 3.0
"""Less that is dark along the edges of a page is not seen."""
LOST_MM2 = 0.5


def measure(share: float, seed: int) -> list[Row]:
    """Return the figures."""
    judged = of_all(_judged, scaled(SCANS, share), seed)
    rows = [
        Row("scans that are clean", percent(float(np.mean([dark <= DARK_MM2 for _, dark, _ in judged]))), ">= 98 %"),
        Row("with print lost", f"{sum(lost > LOST_MM2 for *_, lost in judged)} of {len(judged)}", "0"),
    ]
    for kind in KINDS:
        mine = [row for row in judged if row[0] == kind]
        clean, lost = sum(row[1] <= DARK_MM2 for row in mine), sum(row[2] > LOST_MM2 for row in mine)
        rows.append(Row(f"    {kind}", f"{clean} of {len(mine)} clean", f"{lost} lost print"))
    return rows


def _judged(numbers: range, seed: int) -> list[tuple[str, float, float]]:
    """Return of each scan its kind, how much of its rim is left in mm2, and how much of its print is lost."""
    judged = []
    for number in numbers:
        scan = rimmed(number, seed)
        found = analyse(scan.capture, TurnEstimate(0, 1.0))
        height_mm, width_mm = (px_to_mm(side, DPI) for side in scan.rim.shape)
        size_mm = width_mm, height_mm
        treatment = found.treatment.model_copy(update={"zones": strips_on(found.dark_rims, found.treatment, size_mm)})
        seen = _seen(treatment, scan.rim.shape, size_mm)
        a_mm2 = mm_to_px(1, DPI) ** 2
        # what is one pixel thin is the blur of an edge, at that of the picture too
        dark = np.pad((scan.rim & seen).astype(np.uint8), 1)
        left = cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
        judged.append((scan.kind, float(left.sum()) / a_mm2, float((scan.ink & ~seen).sum()) / a_mm2))
    return judged


def _seen(treatment: Treatment, shape: tuple[int, ...], size_mm: tuple[float, float]) -> NDArray[np.bool_]:
    """Return which pixels of a scan are still to be seen on its page."""
    box = page_box(*size_mm, treatment)
    wiped = cleared_areas(treatment, box)
    on_scan = [box.on_sheet(outline, treatment.quarter_turns) for outline in wiped.wiped]
    inside = ~cleared(shape, wiped._replace(wiped=[], kept=[np.array(box.corners)]), DPI)
    return inside & ~cleared(shape, wiped._replace(wiped=on_scan, kept=[]), DPI)
