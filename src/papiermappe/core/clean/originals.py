"""What lies on a glass, each original by itself, to be scanned as a page of its own."""

from collections.abc import Iterator

import cv2
import numpy as np

from papiermappe.core.clean.lid import differs_from_lid
from papiermappe.core.clean.sheet_candidates import (
    LEAST_SIDE_MM,
    Coarse,
    Corners,
    areas_apart,
    boxes_of,
    coarse,
    lies_on_sheet,
)
from papiermappe.core.clean.sheet_frame import SURE, placed, reading_place
from papiermappe.core.geometry import Quad, mm_to_px, px_to_mm, quad_mm
from papiermappe.core.picture import Pixels, checked

LIGHT_PX = (80.0, 40.0, 150.0)  # tried in turn: no single reach suits both uneven light and pale sheets
WORD_MM2 = 3.0  # specks of grain are smaller than a word
GAP_MM = 0.5  # specks within one original are closed up to this; two originals lie farther apart


def find_originals(capture: Pixels, dpi: float) -> list[Quad]:
    """Find what lies apart on a glass, to be scanned by itself: nothing of an original is beyond its box.

    Args:
        capture: grey (h, w) or RGB (h, w, 3), uint8, of the whole glass; at 150 dpi or more.
        dpi: its resolution.

    Returns:
        For each original, in reading order, the corners of the upright box round it in mm; none where none stands out.

    Raises:
        PictureRefused: not such a picture.
    """
    whole = checked(capture, dpi)
    found: list[Quad] = []
    surest = -1.0
    for areas in _ways(coarse(whole, dpi)):
        frames = [placed(whole, dpi, area) for area in areas]
        if frames and frames[0].confidence > surest:
            surest = frames[0].confidence
            found = [
                _box_round(np.concatenate([np.array(frame.corners), np.array(quad_mm(area, dpi))]))
                for frame, area in zip(frames, areas, strict=True)
            ]
        if surest >= SURE:
            break
    height_mm = px_to_mm(whole.shape[0], dpi)
    return sorted(found, key=lambda box: reading_place(box, height_mm))


def _ways(small: Coarse) -> Iterator[list[Corners]]:
    """Yield the originals as each way to tell them from the lid finds them, the largest first."""
    for light_px in LIGHT_PX:
        mask = differs_from_lid(small.picture, light_px)
        if mask is None:
            break
        areas = _filled(mask, small.dpi)
        boxes = boxes_of(areas, small.dpi)
        if boxes and not lies_on_sheet(_without_stains(areas, small.dpi), boxes, small.dpi):
            yield [small.to_capture(box) for box in boxes]
    yield from areas_apart(small)


def _filled(mask: Pixels, dpi: float) -> Pixels:
    """Return areas without the holes and gaps in them."""
    reach = 2 * max(1, round(mm_to_px(GAP_MM, dpi))) + 1
    closed = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    outlines, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    return np.asarray(cv2.drawContours(np.zeros_like(mask), outlines, -1, 255, cv2.FILLED), np.uint8)


def _without_stains(mask: Pixels, dpi: float) -> Pixels:
    """Return areas without grain, which is smaller than a word, and without dark rims of the glass."""
    height, width = mask.shape
    count, labels, about, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    left, top, across, down, area = about[:count].T
    at_rim = (left == 0) | (top == 0) | (left + across == width) | (top + down == height)
    narrow = np.minimum(across, down) < mm_to_px(LEAST_SIDE_MM, dpi)
    kept = (area >= mm_to_px(1.0, dpi) ** 2 * WORD_MM2) & ~(at_rim & narrow)
    kept[0] = False
    return np.where(kept[labels], np.uint8(255), np.uint8(0))


def _box_round(places: Corners) -> Quad:
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    return ((left, top), (right, top), (right, bottom), (left, bottom))
