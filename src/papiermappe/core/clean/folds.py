"""Folds: soft shades in the paper that run straight across all of a page."""

from collections.abc import Iterator

import cv2
import numpy as np

from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.valleys import valley_depths
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels, shrunk
from papiermappe.core.zones import Zone

SEARCH_DPI = 75
LEAST_LEVELS = 3.5
HALF_MM = 0.7
WIDTH_MM = 8.0
HELD_SHARE = 0.93
SOFT_STEEPNESS = 0.3  # of its depth within a pixel at 75 dpi; the edges of a printed bar have 0.36
END_SHARE = 0.5  # of its depth, at both of its ends


def folds(view: View) -> Iterator[Finding]:
    """Look for a soft shade in the paper that runs straight across or down all of the page."""
    by = max(1, round(view.dpi / SEARCH_DPI))
    small = shrunk(view.grey, by)
    height_mm, width_mm = (px_to_mm(side, view.dpi) for side in view.grey.shape)
    for down in (False, True):
        place = _fold_in(small if down else np.ascontiguousarray(small.T), view.dpi / by)
        if place is None:
            continue
        at_mm = place * (width_mm if down else height_mm) - WIDTH_MM / 2
        zone = (
            Zone(x_mm=at_mm, y_mm=0.0, width_mm=WIDTH_MM, height_mm=height_mm)
            if down
            else Zone(x_mm=0.0, y_mm=at_mm, width_mm=width_mm, height_mm=WIDTH_MM)
        )
        yield Finding(kind=FindingKind.FOLD, confidence=0.6, zone=zone)


def _fold_in(grey: Pixels, dpi: float) -> float | None:
    """Return where a valley runs down, 0 to 1 from the left; None where none does."""
    rim = round(mm_to_px(2 * WIDTH_MM, dpi))
    if min(grey.shape) < 4 * rim:
        return None
    depth, _ = valley_depths(grey, dpi)
    mean = depth.mean(axis=0)
    half = max(1, round(mm_to_px(HALF_MM, dpi)))
    wide = cv2.morphologyEx(mean[None], cv2.MORPH_OPEN, np.ones((1, 2 * half + 1), np.uint8))[0]
    peak = cv2.dilate(mean[None], np.ones((1, 4 * half + 1), np.uint8))[0]
    along = (depth > LEAST_LEVELS / 2).mean(axis=0) >= HELD_SHARE
    # A fold runs from edge to edge; rules, tinted fields and lines of print end at the margins.
    along &= np.minimum(depth[0], depth[-1]) >= END_SHARE * np.median(depth, axis=0)
    shade = wide * ((wide >= peak / 2) & along)  # not the sides of printed rules and dust lines
    shade[:rim] = shade[-rim:] = 0
    at = int(shade.argmax())
    if shade[at] < LEAST_LEVELS:
        return None
    less = np.flatnonzero(np.concatenate([[True], wide[1:-1] < shade[at] / 2, [True]]))
    flanks = less[less < at][-1], less[less > at][0]
    steps = np.abs(np.diff(wide))
    steep = [float(steps[max(0, flank - 2 * half) : flank + 2 * half].max()) for flank in flanks]
    soft = min(steep) <= SOFT_STEEPNESS * mean[flanks[0] : flanks[1]].max()  # print may stand beside one of them
    return (at + 0.5) / len(wide) if soft else None
