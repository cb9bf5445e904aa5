"""Which way up the print stands, from its shape.

Latin print has far more strokes that rise above its small letters than strokes that hang below them, and most letters
stand on the baseline (D. S. Bloomberg, G. E. Kopec, L. Dasari, "Measuring document image skew and orientation",
SPIE 2422, 1995). Each line is looked at in short pieces, so that columns, tables and a little skew do no harm.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.glyphs import glyphs_of, pieces_of, rise_of
from papiermappe.core.clean.ink import bottom_edges
from papiermappe.core.clean.profiles import ScoredAngle, best_angle
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, shrunk

STRIP_MM = 12.0
RULE_SHARE = 0.8  # a row that is so full of ink is a rule, not print
CORE_SHARE = 0.5  # small letters fill their rows at least so much as the fullest row near by
LEAST_INK_SHARE = 0.03
X_HEIGHT_MM = (0.7, 7.0)
STEP_DEG = 1.0
COARSE_POINTS = 8_000
CLEARLY = 1.6  # how much sharper the lines must be in one direction to leave out the other
RULE_MM = 15.0  # what runs on so far is a rule or a dust line, not print
LEAST_PROMINENCE = 1.6  # of lines: less is noise
LEAST_PX = 24
LEAST_LINES = 4
GLYPH_DPI = 300  # letters stand apart from each other
BEYOND_DOUBT = 0.75  # of the letters; below it, lines are asked, too
LEAST_VOTES = 1.5  # of letters, for and against, over the root of all


class TurnEstimate(NamedTuple):
    """How to turn a page so that its print stands upright."""

    quarter_turns: int
    """Counter-clockwise, 0 to 3."""
    confidence: float
    """0 to 1; below 0.5 the value is a guess."""


def find_upright(page: Pixels | View, dpi: float) -> TurnEstimate:
    """Find which way up the print stands.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8; skewed by at most 15 degrees.
        dpi: its resolution.

    Returns:
        The turn, and how sure it is. Pages without Latin print, or in capitals and digits only, give little.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(page, dpi)
    inks = {turns: _without_rules(np.ascontiguousarray(np.rot90(view.ink, turns)), view.dpi) for turns in (0, 1)}
    lines = {turns: _lines_of(np.rot90(view.darkness, turns), ink) for turns, ink in inks.items()}
    ways = {turns: found for turns, found in lines.items() if found.prominence >= LEAST_PROMINENCE}
    if not ways:
        return TurnEstimate(0, 0.0)
    letters = _rises_of_letters(View(page, dpi) if isinstance(page, np.ndarray) else page, ways)
    sharpest = max(found.score for found in ways.values())
    clear = {turns: letters[turns] for turns, found in ways.items() if found.score * CLEARLY >= sharpest}
    by_letters = _best(clear)
    if by_letters.confidence >= BEYOND_DOUBT:
        return by_letters
    return _best(
        {turns: _together(_rise_of_lines(inks[turns], ways[turns], view.dpi), letters[turns]) for turns in ways}
    )


def _best(rises: dict[int, float]) -> TurnEstimate:
    """Return the clearest of the ways to turn; print that falls stands on its head."""
    turns, rise = max(rises.items(), key=lambda way: abs(way[1]))
    return TurnEstimate(turns if rise >= 0 else turns + 2, _confidence(abs(rise)))


def _rises_of_letters(full: View, ways: dict[int, ScoredAngle]) -> dict[int, float]:
    by = max(1, int(full.dpi // GLYPH_DPI))
    pieces = pieces_of(shrunk(full.grey, by), full.dpi / by)
    turned = {0: pieces, 1: pieces.turned()}
    return {turns: rise_of(glyphs_of(turned[turns], full.dpi / by, way.angle_deg)) for turns, way in ways.items()}


def _together(by_lines: float, by_letters: float) -> float:
    """Return what two looks at the same print say together; without letters there is no print, so nothing is said."""
    return by_letters + by_lines / 2 if abs(by_letters) >= LEAST_VOTES else 0.0


def _without_rules(ink: Pixels, dpi: float) -> Pixels:
    long = np.ones((1, max(2, round(mm_to_px(RULE_MM, dpi)))), np.uint8)
    return np.asarray(cv2.subtract(ink, cv2.morphologyEx(ink, cv2.MORPH_OPEN, long)), np.uint8)


def _lines_of(darkness: NDArray[np.int16], ink: Pixels) -> ScoredAngle:
    return best_angle(bottom_edges(darkness, ink), 15.0, STEP_DEG, COARSE_POINTS)


def _rise_of_lines(ink: Pixels, lines: ScoredAngle, dpi: float) -> float:
    """Return how clearly print rises above its small letters: positive where it stands upright.

    The value is the mean over all pieces of lines of (ink above - ink below) / ink between, divided by its standard
    error.
    """
    height, width = ink.shape
    if height < LEAST_PX:
        return 0.0
    level = _level(ink * np.uint8(255), lines.angle_deg)
    strips = max(1, round(width / mm_to_px(STRIP_MM, dpi)))
    density = cv2.resize(level, (strips, height), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
    density[density > RULE_SHARE] = 0
    rises = np.concatenate([_rises(density[:, at], dpi) for at in range(strips)])
    if len(rises) < LEAST_LINES:
        return 0.0
    spread = max(float(rises.std()), 0.05)
    return float(rises.mean() / (spread / np.sqrt(len(rises))))


def _level(ink: Pixels, skew_deg: float) -> Pixels:
    """Return ink turned clockwise by its skew."""
    if abs(skew_deg) < STEP_DEG / 2:
        return ink
    height, width = ink.shape
    turn = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), -skew_deg, 1.0)
    return np.asarray(cv2.warpAffine(ink, turn, (width, height), flags=cv2.INTER_LINEAR), np.uint8)


def _rises(density: NDArray[np.float32], dpi: float) -> NDArray[np.float64]:
    """Return (ink above - ink below) / ink between for each line of small letters in one strip."""
    reach = max(3, round(mm_to_px(2.0, dpi)))
    smooth = np.convolve(density, [0.25, 0.5, 0.25], mode="same")
    fullest = cv2.dilate(smooth[:, None], np.ones((2 * reach + 1, 1), np.uint8))[:, 0]
    core = (smooth > CORE_SHARE * fullest) & (smooth > LEAST_INK_SHARE)
    steps = np.diff(np.concatenate([[0], core.astype(np.int8), [0]]))
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1)
    if not len(starts):
        return np.empty(0)
    low_px, high_px = (mm_to_px(mm, dpi) for mm in X_HEIGHT_MM)
    heights = ends - starts
    room_above = (starts - np.concatenate([[-reach], ends[:-1]])) // 2
    room_below = (np.concatenate([starts[1:], [len(density) + reach]]) - ends) // 2
    zone = np.minimum(np.minimum(room_above, room_below), heights)
    sums = np.concatenate([[0.0], np.cumsum(density)])
    top, bottom = np.maximum(starts - zone, 0), np.minimum(ends + zone, len(density))
    above, below, between = sums[starts] - sums[top], sums[bottom] - sums[ends], sums[ends] - sums[starts]
    used = (heights >= low_px) & (heights <= high_px) & (zone >= heights / 4) & (between > 0)
    return np.asarray((above - below)[used] / between[used], np.float64)


def _confidence(clarity: float) -> float:
    """Map the mean over its standard error to 0..1: 2.5, by chance once in a hundred, is 0.5; 7.5 is certain."""
    return float(np.clip(clarity / 5.0 if clarity < 2.5 else 0.25 + clarity / 10.0, 0.0, 1.0))
