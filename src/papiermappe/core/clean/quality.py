"""What is wrong with a page: blurred, faint, cut off, dark, dust lines, dirt, a fold, two sheets at once."""

from collections.abc import Iterator

import cv2
import numpy as np

from papiermappe.core.clean.dust import dust_lines, strewn_specks
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.folds import folds
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import Zone

PLAIN_LEVELS = 60  # sharpness is measured at edges whose sides differ by at least this
LEAST_EDGES = 150
BLURRED_STEEPNESS = 0.3  # share of the step that falls within one pixel at 150 dpi; sharp print has 0.45 and more
SQUARE: Pixels = np.ones((9, 9), np.uint8)
STEP_PX = 13  # what moves along an axis spreads its edges over so much
FAINT_LEVELS = 60
LEAST_INK_MM2 = 15.0
EDGE_MM = 0.7
CROSSINGS = 3
LETTER_MM = (0.8, 6.0)  # wider than a dust line
DARK_PAPER = 120
BRIGHT_SHARE = 0.985
RIM_MM = 2.0
TALLER_MM = 12.0


def judge_quality(
    page: Pixels | View, dpi: float, usual_height_mm: float | None = None, straightened_deg: float = 0.0
) -> list[Finding]:
    """Return what a person should look at on a page.

    Args:
        page: the sheet without its backing, grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        usual_height_mm: of its neighbours; a sheet that is longer may be two.
        straightened_deg: the skew that has been taken out: dust lines, which run down the scan, lean by it.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(page, dpi)
    found = [
        *_sharpness(_densest(view)),
        *_exposure(view),
        *_cut_off(view.ink, view.dpi),
        *dust_lines(view.darker, view.dpi, straightened_deg),
        *strewn_specks(view.darker, view.dpi),
        *folds(view),
    ]
    height_mm = px_to_mm(view.grey.shape[0], view.dpi)
    if usual_height_mm is not None and height_mm > usual_height_mm + TALLER_MM:
        longer_mm = round(height_mm - usual_height_mm)
        found.append(Finding(kind=FindingKind.DOUBLED, params={"longer_mm": longer_mm}, confidence=0.7))
    return found


def _densest(view: View) -> Pixels:
    """Return the rows with the most ink, a sixth of the page."""
    rows = max(1, view.grey.shape[0] // 6)
    ink = np.concatenate([[0], np.cumsum(cv2.reduce(view.ink, 1, cv2.REDUCE_SUM, dtype=cv2.CV_32S)[:, 0])])
    start = int((ink[rows:] - ink[:-rows]).argmax())
    return view.grey[start : start + rows]


def _sharpness(grey: Pixels) -> Iterator[Finding]:
    """Hold the steepest step near each plain edge against the whole of it."""
    steepness = _steepness(grey, np.maximum(_step(grey, 1), _step(grey, 0)), SQUARE)
    if steepness is not None and steepness < BLURRED_STEEPNESS:
        sure = float(np.clip(1.5 - steepness / BLURRED_STEEPNESS, 0.5, 1.0))
        yield Finding(kind=FindingKind.BLURRED, confidence=sure)


def steepness_along(grey: Pixels, axis: int) -> float | None:
    """Return the share of the steps along an axis that falls within one pixel; None where there are few plain ones.

    Args:
        grey: (h, w), at about 150 dpi.
        axis: 0 for edges that run across the page, 1 for those that run down.
    """
    return _steepness(grey, _step(grey, axis), np.asarray(np.ones((1, STEP_PX) if axis else (STEP_PX, 1)), np.uint8))


def _steepness(grey: Pixels, steps: Pixels, near: Pixels) -> float | None:
    whole = np.asarray(cv2.morphologyEx(grey, cv2.MORPH_GRADIENT, near), np.uint8)
    plain = (whole >= PLAIN_LEVELS) & (steps >= cv2.dilate(steps, near))
    if np.count_nonzero(plain) < LEAST_EDGES:
        return None
    return float(np.median(steps[plain] / whole[plain]))


def _step(grey: Pixels, axis: int) -> Pixels:
    """Return how much each pixel differs from the one before it, (h, w)."""
    steps = np.abs(np.diff(grey.astype(np.int16), axis=axis, prepend=grey.take([0], axis=axis)))
    return np.asarray(steps, np.uint8)


def _exposure(view: View) -> Iterator[Finding]:
    level = float(np.median(view.grey_paper[::4, ::4]))
    if level < DARK_PAPER:
        yield Finding(kind=FindingKind.TOO_DARK, confidence=0.7)
    rim = round(mm_to_px(RIM_MM, view.dpi))
    inner = slice(rim, -rim), slice(rim, -rim)  # at the rim, backing may show
    inked = view.ink[inner] > 0
    if np.count_nonzero(inked) < LEAST_INK_MM2 * mm_to_px(1, view.dpi) ** 2:
        return
    some = slice(None, None, 2), slice(None, None, 2)
    strength = float(np.percentile(view.darker[inner][some][inked[some]], 75)) if inked[some].any() else 255.0
    if strength < FAINT_LEVELS:
        washed = float((view.grey >= 254).mean()) > BRIGHT_SHARE - float(inked.mean())
        kind = FindingKind.TOO_BRIGHT if washed else FindingKind.FAINT
        yield Finding(kind=kind, confidence=float(np.clip(1.5 - strength / FAINT_LEVELS, 0.5, 1.0)))


def _cut_off(ink: Pixels, dpi: float) -> Iterator[Finding]:
    """Look for letters that run over an edge; a shadow along the edge is longer than a letter."""
    deep, low, high = (round(mm_to_px(mm, dpi)) for mm in (EDGE_MM, *LETTER_MM))
    height_mm, width_mm = (px_to_mm(side, dpi) for side in ink.shape)
    for turns, edge in ((0, "top"), (1, "right"), (2, "bottom"), (3, "left")):
        band = np.ascontiguousarray(np.rot90(ink, turns)[: 3 * deep])
        _, _, stats, _ = cv2.connectedComponentsWithStats(band, connectivity=8)
        left, top, width, height = stats[1:, :4].T
        crossing = (top == 0) & (height > deep) & (width >= max(1, low)) & (width <= high)
        crossing &= (left > 0) & (left + width < band.shape[1])  # in the corners, backing may show
        if crossing.sum() < CROSSINGS:
            continue
        start, end = float(left[crossing].min()), float((left + width)[crossing].max())
        zone = _at_edge(turns, px_to_mm(start, dpi), px_to_mm(end - start, dpi), width_mm, height_mm)
        yield Finding(kind=FindingKind.CUT_OFF, params={"edge": edge}, confidence=0.6, zone=zone)


def _at_edge(turns: int, start_mm: float, length_mm: float, width_mm: float, height_mm: float) -> Zone:
    """Return a strip 4 mm deep along an edge, measured where the picture was turned so that it was on top."""
    deep = 4.0
    x_mm, y_mm, across, down = {
        0: (start_mm, 0.0, length_mm, deep),
        1: (width_mm - deep, start_mm, deep, length_mm),
        2: (width_mm - start_mm - length_mm, height_mm - deep, length_mm, deep),
        3: (0.0, height_mm - start_mm - length_mm, deep, length_mm),
    }[turns]
    return Zone(x_mm=x_mm, y_mm=y_mm, width_mm=across, height_mm=down)
