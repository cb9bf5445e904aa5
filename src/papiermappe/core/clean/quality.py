"""What is wrong with a page: blurred, faint, cut off, dark, dust lines, dirt, a fold, two sheets at once."""

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.pieces import Boxes, boxes_of
from papiermappe.core.clean.valleys import valley_depths
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px, px_to_mm
from papiermappe.core.picture import Pixels, shrunk
from papiermappe.core.zones import Zone

PLAIN_LEVELS = 60  # sharpness is measured at edges whose sides differ by at least this
LEAST_EDGES = 150
BLURRED_STEEPNESS = 0.3  # share of the step that falls within one pixel at 150 dpi; sharp print has 0.45 and more
FAINT_LEVELS = 60
LEAST_INK_MM2 = 15.0
EDGE_MM = 0.7
CROSSINGS = 3
LETTER_MM = (0.8, 6.0)  # wider than a dust line
DARK_PAPER = 120
BRIGHT_SHARE = 0.985
LINE_LEVELS = 4
LINE_PARTS = 16  # of the height; a line of dust shows in the first and the last one...
LINE_GAPS = 1  # ...and in all others but this many
LINE_SHARE = 0.7  # of the rows of a part
LINE_MM = 0.9
EACH_ROW = 4  # every fourth row is enough to see a line that crosses all of them
RIM_MM = 2.0
MAX_LINES = 8
SPECK_MM = (0.15, 0.9)
ALONE_MM = 2.0
SPECKS = 80
OTHER_MM2 = 0.23  # ink nearby; no more than another speck has
FOLD_DPI = 75
FOLD_LEVELS = 3.5
FOLD_HALF_MM = 0.7
FOLD_MM = 8.0
FOLD_SHARE = 0.93
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
        *_dust_lines(view.darker, view.dpi, straightened_deg),
        *_dirt(view.darker, view.dpi),
        *_folds(view),
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
    square = np.ones((9, 9), np.uint8)
    whole = np.asarray(cv2.morphologyEx(grey, cv2.MORPH_GRADIENT, square), np.uint8)
    steep = cv2.max(_step(grey, 1), _step(grey, 0))
    plain = (whole >= PLAIN_LEVELS) & (steep >= cv2.dilate(steep, square))
    if np.count_nonzero(plain) < LEAST_EDGES:
        return
    steepness = float(np.median(steep[plain] / whole[plain]))
    if steepness < BLURRED_STEEPNESS:
        sure = float(np.clip(1.5 - steepness / BLURRED_STEEPNESS, 0.5, 1.0))
        yield Finding(kind=FindingKind.BLURRED, confidence=sure)


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


def _dust_lines(darker: Pixels, dpi: float, lean_deg: float) -> Iterator[Finding]:
    """Look for narrow columns that are darker than those beside them all the way down, between lines of print, too."""
    around = max(3, 2 * round(mm_to_px(LINE_MM, dpi)) + 1)
    height, width = darker.shape
    some = np.ascontiguousarray(darker[::EACH_ROW])
    lean = math.tan(math.radians(lean_deg))
    lean_some = lean * EACH_ROW
    upright = np.array([[1.0, -lean_some, lean_some * (len(some) - 1) / 2], [0.0, 1.0, 0.0]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    level = cv2.warpAffine(some, upright, (width, len(some)), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    parts = np.array_split(level, min(LINE_PARTS, len(level)))
    least = np.array([np.partition(part, at := int((1 - LINE_SHARE) * (len(part) - 1)), axis=0)[at] for part in parts])
    above = least - cv2.morphologyEx(least, cv2.MORPH_OPEN, np.ones((1, around), np.uint8))
    seen = above >= LINE_LEVELS
    # Dust lies on the glass of the feeder: its line runs from edge to edge. Rules that are printed end before.
    lines = (seen[0] & seen[-1] & (seen.sum(axis=0) >= len(parts) - LINE_GAPS)).astype(np.int8)
    rim = round(mm_to_px(RIM_MM, dpi))
    lines[:rim] = lines[-rim:] = 0
    steps = np.diff(np.concatenate([[0], lines, [0]]))
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1)
    if not 0 < len(starts) <= MAX_LINES:
        return
    beside_mm = 0.3 + px_to_mm(abs(lean) * height / 2, dpi)
    for start, end in zip(starts, ends, strict=True):
        zone = Zone(
            x_mm=px_to_mm(float(start), dpi) - beside_mm,
            y_mm=0.0,
            width_mm=px_to_mm(float(end - start), dpi) + 2 * beside_mm,
            height_mm=px_to_mm(darker.shape[0], dpi),
        )
        yield Finding(kind=FindingKind.DUST_LINE, confidence=0.8, zone=zone)


def _dirt(darker: Pixels, dpi: float) -> Iterator[Finding]:
    """Count specks that stand alone."""
    marks = np.asarray(cv2.threshold(darker, FAINT_LEVELS // 2, 1, cv2.THRESH_BINARY)[1], np.uint8)
    low, high = (mm_to_px(mm, dpi) for mm in SPECK_MM)
    other_px = OTHER_MM2 * mm_to_px(1, dpi) ** 2
    reach = round(mm_to_px(ALONE_MM, dpi))
    size = 2 * reach + 1
    ink_near = cv2.boxFilter(marks, -1, (size, size), normalize=False, borderType=cv2.BORDER_CONSTANT)  # up to 255
    sparse = np.asarray(marks * (ink_near <= high * high + other_px), np.uint8)
    if cv2.countNonZero(sparse) < SPECKS:
        return
    boxes = boxes_of(sparse)
    others = np.subtract(_ink_within(marks, boxes, reach), _ink_within(marks, boxes, 0))
    specks = int(((boxes.extent >= low) & (boxes.extent <= high) & (others <= other_px)).sum())
    if specks >= SPECKS:
        sure = float(np.clip(specks / (3 * SPECKS), 0.5, 1.0))
        yield Finding(kind=FindingKind.DIRTY, params={"specks": specks}, confidence=sure)


def _ink_within(marks: Pixels, boxes: Boxes, reach: int) -> NDArray[np.int32]:
    """Return how many pixels of a mask lie in each box grown by `reach` on all sides."""
    sums = cv2.integral(marks)
    rows, cols = (
        np.clip([start - reach, end + reach], 0, most).astype(np.intp)
        for start, end, most in (
            (boxes.top, boxes.bottom, marks.shape[0]),
            (boxes.left, boxes.right, marks.shape[1]),
        )
    )
    return np.asarray(
        sums[rows[1], cols[1]] - sums[rows[0], cols[1]] - sums[rows[1], cols[0]] + sums[rows[0], cols[0]], np.int32
    )


def _folds(view: View) -> Iterator[Finding]:
    """Look for a soft shade in the paper that runs straight across or down all of the page."""
    by = max(1, round(view.dpi / FOLD_DPI))
    small = shrunk(view.grey, by)
    height_mm, width_mm = (px_to_mm(side, view.dpi) for side in view.grey.shape)
    for down in (False, True):
        place = _fold_in(small if down else np.ascontiguousarray(small.T), view.dpi / by)
        if place is None:
            continue
        at_mm = place * (width_mm if down else height_mm) - FOLD_MM / 2
        zone = (
            Zone(x_mm=at_mm, y_mm=0.0, width_mm=FOLD_MM, height_mm=height_mm)
            if down
            else Zone(x_mm=0.0, y_mm=at_mm, width_mm=width_mm, height_mm=FOLD_MM)
        )
        yield Finding(kind=FindingKind.FOLD, confidence=0.6, zone=zone)


def _fold_in(grey: Pixels, dpi: float) -> float | None:
    """Return where a valley runs down, 0 to 1 from the left; None where none does."""
    rim = round(mm_to_px(2 * FOLD_MM, dpi))
    if min(grey.shape) < 4 * rim:
        return None
    depth, _ = valley_depths(grey, dpi)
    soft = (depth > FOLD_LEVELS / 2).mean(axis=0)
    mean = depth.mean(axis=0) * (soft >= FOLD_SHARE)
    mean[:rim] = mean[-rim:] = 0
    at = int(mean.argmax())
    beside = max(1, round(mm_to_px(FOLD_HALF_MM, dpi)))
    wide = min(mean[at - beside], mean[at + beside]) >= mean[at] / 2  # a dust line is narrower
    return (at + 0.5) / len(mean) if mean[at] >= FOLD_LEVELS and wide else None
