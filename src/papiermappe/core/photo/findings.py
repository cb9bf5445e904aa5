"""What a person should check on a page that a camera took, besides what is looked for on scans."""

from collections.abc import Iterator

import cv2
import numpy as np

from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.margins import find_text_block
from papiermappe.core.clean.pieces import boxes_of
from papiermappe.core.clean.quality import BLURRED_STEEPNESS, steepness_along
from papiermappe.core.clean.view import View
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.photo.obstacles import Patch, fingers, glares
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import Zone

LETTER_MM = (0.9, 6.0)
LEAST_LETTERS = 60
LOOK_PX = 600
SMALL_PX = 9.0  # recognisers and people read letters of ten px well


def judge_photo(page: Pixels, view: View, photo_dpi: float) -> list[Finding]:
    """Return what a person should look at: a lamp or a finger on the print, print that is too small for the photo.

    Args:
        page: RGB (h, w, 3), as it was judged; grey photos show neither lamps nor fingers.
        view: the same page, grey.
        photo_dpi: of the photo, which may be finer than what is judged.
    """
    found = [*_small_print(view, photo_dpi), *_moved(view)]
    block = find_text_block(view, view.dpi)
    if page.ndim == 3 and block is not None:
        scale = min(1.0, LOOK_PX / max(page.shape))  # lamps and fingers are large
        look = np.asarray(cv2.resize(page, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
        dpi = view.dpi * scale
        print_px = Patch(*(round(mm_to_px(side_mm, dpi)) for side_mm in block))
        for kind, patches in ((FindingKind.GLARE, glares(look)), (FindingKind.FINGER, fingers(look))):
            on_print = [patch for patch in patches if _meet(patch, print_px)]
            if on_print:
                found.append(Finding(kind=kind, confidence=0.7, zone=_zone_around(on_print, dpi)))
    return found


def _small_print(view: View, photo_dpi: float) -> Iterator[Finding]:
    low, high = (mm_to_px(mm, view.dpi) for mm in LETTER_MM)
    heights = boxes_of(view.ink).height
    letters = heights[(heights >= low) & (heights <= high)]
    if letters.size < LEAST_LETTERS:
        return
    tall_px = float(np.median(letters)) * photo_dpi / view.dpi
    if tall_px < SMALL_PX:
        yield Finding(kind=FindingKind.SMALL_PRINT, params={"px": round(tall_px)}, confidence=0.7)


def _moved(view: View) -> Iterator[Finding]:
    """Look for print that is spread along one direction, as where camera or sheet has moved."""
    steepness = [known for axis in (0, 1) if (known := steepness_along(view.grey, axis)) is not None]
    if steepness and min(steepness) < BLURRED_STEEPNESS:
        yield Finding(kind=FindingKind.BLURRED, confidence=0.7)


def _meet(first: Patch, second: Patch) -> bool:
    across = first.left < second.right and second.left < first.right
    return across and first.top < second.bottom and second.top < first.bottom


def _zone_around(patches: list[Patch], dpi: float) -> Zone:
    """Return what holds all of them: lines of print cut the reflection of a lamp into pieces."""
    lefts, tops, rights, bottoms = zip(*patches, strict=True)
    left, top, right, bottom = (px_to_mm(side, dpi) for side in (min(lefts), min(tops), max(rights), max(bottoms)))
    return Zone(x_mm=left, y_mm=top, width_mm=right - left, height_mm=bottom - top)
