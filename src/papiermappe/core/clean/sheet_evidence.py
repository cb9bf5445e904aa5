"""What speaks against a frame being that of the sheet: print beyond it, print that it runs through, paper beyond it."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.edges import Line, beside
from papiermappe.core.clean.lines import lines_from_outside
from papiermappe.core.clean.sheet_candidates import COARSE_DPI, TINT_LEVELS, Coarse, Corners
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, to_grey

PRINT_KINDS = ((50, 1.5, 2.0, 0.85), (20, 5.0, 6.0, 0.85), (50, 2.0, 15.0, 0.6))
"""What is print, plain and faint, and on a tint that may be a backing as well: darker than what is around it by so many
levels, so many mm beyond a side, which is further than its shadow reaches, over so many mm2, which is more than dust
and a hair on the lid, on ground that has such a share of what is bright on the capture.
"""
AROUND_MM = 5.0
BRIGHT_PERCENT = 90
GROUND_STEP = 3  # px; the ground is told by a median, which takes most of the time, from every third pixel each way
RIM_MM = 2.0
CLOSE_MM = (0.4, 0.7, 1.0, 1.3)  # a letter that is cut shows on both sides of the cut, this far from it...
LETTER_ROWS = 2  # ...in this many of these rows
LETTER_LEVELS = 40
LETTER_MM = 6.0
CROSSING_LETTERS = 3
MARGIN_LETTERS = 10  # so many lines begin at the margin of a text
STEP_MM = 0.3
ALIKE_LEVELS = 1.2  # a line whose two sides differ by less is a rule printed on the sheet
PLAIN_LEVELS = 3.0  # a line whose two sides differ by more parts paper and backing...
FOLD_SHARE = 0.2  # ...and one where they differ by so much less is a fold
PARALLEL = 0.02  # sine of the angle between two lines
BEYOND_MM = 2.0  # further than the shadow of an edge
DARK_LEVELS = 30  # print is darker than paper by at least this


class PrintMap:
    """Where on a capture something is darker than what is around it.

    Args:
        small: the capture.
    """

    def __init__(self, small: Coarse) -> None:
        self._small = small
        self._grey = to_grey(small.picture)
        self._px_a_mm = mm_to_px(1.0, small.dpi * small.by)
        darker, ground = _against_ground(self._grey, small.dpi)
        self._kinds = [small.to_capture(_print_at(darker, ground, kind[0], kind[3])) for kind in PRINT_KINDS]

    def lost_beyond(self, corners: Corners) -> list[int]:
        """Return the sides, clockwise from the top, beyond which there is print, or which run through it."""
        ends = [(corners[side], corners[(side + 1) % 4]) for side in range(4)]
        return [
            side
            for side, (start, end) in enumerate(ends)
            if self._is_beyond(Line.through(start, end)) or self._runs_through(start, end)
        ]

    def _is_beyond(self, side: Line) -> bool:
        return any(
            np.count_nonzero(side.away(places) < -beyond_mm * self._px_a_mm) > max_mm2 * mm_to_px(1.0, COARSE_DPI) ** 2
            for places, (_, beyond_mm, max_mm2, _) in zip(self._kinds, PRINT_KINDS, strict=True)
        )

    def beginning_at(self, corners: Corners) -> list[int]:
        """Return the sides at which lines of print begin: the margin of a text, and not the edge of a sheet."""
        ends = [(corners[side], corners[(side + 1) % 4]) for side in range(4)]
        return [
            side
            for side, (start, end) in enumerate(ends)
            if _short_pieces(self._dark(start, end, 1.0)) >= MARGIN_LETTERS
        ]

    def _runs_through(self, start: NDArray[np.float64], end: NDArray[np.float64]) -> bool:
        """Return whether letters stand on a side: short pieces along it that are dark on both of its sides.

        Print that ends at the edge of a sheet is only inside.
        """
        both = self._dark(start, end, 1.0) & self._dark(start, end, -1.0)
        return _short_pieces(both) >= CROSSING_LETTERS

    def _dark(self, start: NDArray[np.float64], end: NDArray[np.float64], way: float) -> NDArray[np.bool_]:
        """Return where along a side it is dark close to it, inside (`way` 1) or outside (-1), a step each STEP_MM.

        Dark is what is darker than most of the strip, so that neither the backing nor a shadow counts.
        """
        length = max(float(np.hypot(*(end - start))), 1e-9)
        along = np.linspace(0.0, 1.0, max(2, round(length / self._px_a_mm / STEP_MM)))[None, :, None]
        inward = np.array([start[1] - end[1], end[0] - start[0]]) / length
        offsets = way * np.array(CLOSE_MM)[:, None, None] * self._px_a_mm
        places = self._small.from_capture(start + along * (end - start) + offsets * inward).astype(np.float32)
        x, y = places[..., 0], places[..., 1]
        strip = cv2.remap(self._grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray((strip < np.median(strip) - LETTER_LEVELS).sum(axis=0) >= LETTER_ROWS, np.bool_)


def _short_pieces(dark: NDArray[np.bool_]) -> int:
    """Return how many pieces are as short as letters; rules and shadows are longer."""
    ends = np.flatnonzero(np.diff(np.concatenate([[False], dark, [False]]).astype(np.int8)))
    return int(np.count_nonzero((ends[1::2] - ends[::2]) * STEP_MM <= LETTER_MM))


def _against_ground(grey: Pixels, dpi: float) -> tuple[Pixels, NDArray[np.float32]]:
    """Return how much darker each place is than what is around it, and the ground there as a share of what is bright.

    Both are (h, w). The rim of the capture has nothing that is darker.
    """
    around = 2 * round(mm_to_px(AROUND_MM, dpi) / 2) + 1
    darker = cv2.subtract(cv2.blur(grey, (around, around)), grey)
    rim = round(mm_to_px(RIM_MM, dpi))
    darker[:rim] = darker[-rim:] = 0
    darker[:, :rim] = darker[:, -rim:] = 0
    height, width = grey.shape
    thinned = np.ascontiguousarray(grey[::GROUND_STEP, ::GROUND_STEP])
    bright = max(1.0, float(np.percentile(thinned, BRIGHT_PERCENT)))
    ground = cv2.medianBlur(thinned, 2 * round(around / GROUND_STEP / 2) + 1).astype(np.float32) / np.float32(bright)
    whole = cv2.resize(ground, (width, height), interpolation=cv2.INTER_NEAREST)
    return np.asarray(darker, np.uint8), np.asarray(whole, np.float32)


def _print_at(darker: Pixels, ground: NDArray[np.float32], levels: int, ground_share: float) -> NDArray[np.float64]:
    """Return where it is so much darker than bright enough ground, (n, 2) `(x, y)`; dust on a backing is not print."""
    places = cv2.findNonZero(np.asarray((darker > levels) & (ground >= ground_share), np.uint8))
    return np.empty((0, 2)) if places is None else np.asarray(places, np.float64).reshape(-1, 2)


def is_alike_across(capture: Pixels, dpi: float, corners: Corners, side: int) -> bool:
    """Return whether the colour on both of a side is nearly the same: a step that a text's margin can make as well."""
    strip = beside(capture, dpi, corners[side], corners[(side + 1) % 4])
    return strip is not None and _apart(np.median(strip[0], axis=0), np.median(strip[1], axis=0)) < TINT_LEVELS


def goes_on_beyond(capture: Pixels, dpi: float, corners: Corners) -> bool:
    """Return whether a side may be a fold in the sheet: it is alike on both, while beyond others backing is seen."""
    strips = [beside(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)]
    apart = [_apart(*(np.median(way, axis=0) for way in strip)) for strip in strips if strip is not None]
    usual = float(np.median(apart)) if apart else 0.0
    return usual > PLAIN_LEVELS and min(apart) < FOLD_SHARE * usual


def within_sheet(capture: Pixels, dpi: float, corners: Corners) -> list[int]:
    """Return the sides with the same on both of them, no paper inside, or paper outside rather than backing."""
    strips = {side: beside(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)}
    seen = {side: strip for side, strip in strips.items() if strip is not None}
    inside, outside = ({side: np.median(strip[way], axis=0) for side, strip in seen.items()} for way in (0, 1))
    brightest = max((colour.mean() for colour in (*inside.values(), *outside.values())), default=0.0)
    within = []
    for side in seen:
        paper = inside[side]
        backing = max(outside.values(), key=lambda colour: _apart(paper, colour))
        plain = _apart(paper, backing) > TINT_LEVELS
        as_paper = plain and _apart(outside[side], paper) < _apart(outside[side], backing)
        alike = _apart(outside[side], paper) < ALIKE_LEVELS
        if alike or as_paper or paper.mean() < brightest - DARK_LEVELS:
            within.append(side)
    return within


def ends_in_picture(capture: Pixels, dpi: float, small: Coarse, corners: Corners) -> bool:
    """Return whether a side may be the edge of a dark picture.

    Beyond it runs a faint line, as of an edge, or it alone is seen, so that what is beyond may be paper.
    """
    strips = {side: beside(capture, dpi, corners[side], corners[(side + 1) % 4]) for side in range(4)}
    levels = {side: (np.median(strip[0]), np.median(strip[1])) for side, strip in strips.items() if strip is not None}
    brightest = max((float(max(pair)) for pair in levels.values()), default=0.0)
    dark = [side for side, (inside, _) in levels.items() if inside < brightest - DARK_LEVELS]
    if dark and len(levels) == 1:
        return True
    lines = lines_from_outside(small.picture, small.dpi) if dark else None
    if lines is None:
        return False
    for side in dark:
        placed = Line.through(corners[side], corners[(side + 1) % 4])
        middle = (corners[side] + corners[(side + 1) % 4]) / 2
        for line in lines[side][:1]:
            outmost = line.scaled(small.by)
            is_parallel = abs(placed.dx * outmost.dy - placed.dy * outmost.dx) < PARALLEL
            if is_parallel and outmost.away(middle) > mm_to_px(BEYOND_MM, dpi):
                return True
    return False


def _apart(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return how far apart two colours are; uneven light changes brightness, which therefore counts for less."""
    difference = one - other
    light = float(difference.mean())
    return float(np.abs(difference - light).max()) + abs(light) / 3
