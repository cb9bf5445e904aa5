"""Wiping areas away, as if nothing had been there."""

from collections.abc import Iterable

import cv2
import numpy as np

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked
from papiermappe.core.zones import Zone

AROUND_MM = 6.0  # how far around a zone the paper is sampled
CELL_MM = 0.5
PAPER_PERCENT = 60  # percentile of brightness around a zone from which on a pixel counts as paper


def wipe(page: Pixels, zones: Iterable[Zone], dpi: float) -> Pixels:
    """Return the page with zones filled with the colour of the paper around each.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        zones: in mm on the page.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    clean = checked(page, dpi).copy()
    for zone in zones:
        _fill(clean, zone, dpi)
    return clean


def _fill(page: Pixels, zone: Zone, dpi: float) -> None:
    rows, cols = zone.slices(page.shape, dpi)
    if rows.stop <= rows.start or cols.stop <= cols.start:
        return
    near = zone.grown(AROUND_MM).slices(page.shape, dpi)
    by = max(1, round(mm_to_px(CELL_MM, dpi)))
    part = page[near]
    size = max(1, part.shape[1] // by), max(1, part.shape[0] // by)
    cells = cv2.resize(part, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1).astype(np.float32)
    known = np.ones(cells.shape[:2], np.float32)
    inside = (
        slice(rows.start - near[0].start, rows.stop - near[0].start),
        slice(cols.start - near[1].start, cols.stop - near[1].start),
    )
    known[_scaled(inside[0], by, 1), _scaled(inside[1], by, 1)] = 0
    light = cells.mean(axis=2)
    if known.any():
        known *= light >= np.percentile(light[known > 0], 100 - PAPER_PERCENT)
    else:
        known[:] = light >= np.percentile(light, PAPER_PERCENT)
    spread = max(size)
    sums = cv2.GaussianBlur(cells * known[..., None], (0, 0), spread / 4).reshape(cells.shape)
    weights = cv2.GaussianBlur(known, (0, 0), spread / 4)[..., None] + np.float32(1e-6)
    paper = np.clip(sums / weights, 0, 255).astype(np.uint8)
    filled = cv2.resize(paper, part.shape[1::-1], interpolation=cv2.INTER_LINEAR).reshape(part.shape)
    part[inside] = filled[inside]


def _scaled(pixels: slice, by: int, margin: int) -> slice:
    return slice(max(0, pixels.start // by - margin), pixels.stop // by + 1 + margin)
