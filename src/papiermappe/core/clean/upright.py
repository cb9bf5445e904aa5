"""Which way up the print stands, from its letters.

Latin print has far more strokes that rise above its small letters than strokes that hang below them, and most letters
stand on the baseline (D. S. Bloomberg, G. E. Kopec, L. Dasari, "Measuring document image skew and orientation",
SPIE 2422, 1995). Here every letter is held against its neighbour on the line, so that columns, tables and a little
skew do no harm, and each pair has a vote.
"""

import math
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.clean.glyphs import Votes, glyphs_of, letters_among, pieces_of, votes_of
from papiermappe.core.clean.ink import bottom_edges
from papiermappe.core.clean.profiles import ScoredAngle, best_angle
from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, shrunk, turned

STEP_DEG = 1.0
COARSE_POINTS = 8_000
NARROWER = 4  # a page shrunk by this still shows its rules
RULE_MM = 15.0  # a longer stroke is a rule or a dust line, not print
LEAST_PROMINENCE = 1.6  # lines of print stand out by at least this; anything less is noise
GLYPH_DPI = 300  # at this resolution letters do not touch
CLEAR_SIGMAS = 1.6  # how far the votes must be from a draw, in standard deviations
LEAST_SHARE = 0.62  # the winner's share of the votes; in real print it is about three quarters
LEAST_LEAD = 6  # votes
LEAST_VOTES = 16  # a caption of two words has fewer, and letters of other kinds may look like it
CERTAIN_SIGMAS = 5.0
FEWEST_LETTERS = 12  # by fewer nobody tells which way up a page is
COUNTABLE_DPI = 100  # letters run into one another below that
GUESS = 0.49


class TurnEstimate(NamedTuple):
    """How to turn a page so that its print stands upright."""

    quarter_turns: int
    """Counter-clockwise, 0 to 3."""
    confidence: float
    """0 to 1; below 0.5 the value is a guess."""
    has_letters: bool = True
    """Whether there is enough that may be a letter for others to tell more."""


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
    full = View(page, dpi) if isinstance(page, np.ndarray) else page
    by = max(1, int(full.dpi // GLYPH_DPI))
    pieces = pieces_of(shrunk(full.grey, by), full.dpi / by)
    letters = letters_among(pieces, full.dpi / by)
    has_letters = letters >= FEWEST_LETTERS or full.dpi < COUNTABLE_DPI
    best = TurnEstimate(0, 0.0)
    for turns, lying in ((0, pieces), (1, pieces.turned())):
        lines = _lines_of(view, turns)
        if lines.prominence < LEAST_PROMINENCE:
            continue
        told = _told(turns, votes_of(glyphs_of(lying, full.dpi / by, lines.angle_deg)))
        best = max(best, told, key=lambda way: way.confidence)
        if best.confidence == 1.0:
            break
    return best._replace(has_letters=has_letters)


def _told(turns: int, votes: Votes) -> TurnEstimate:
    """Return what the letters say about a page whose lines are level: upright, or upside down."""
    total, lead = votes.stand + votes.hang, abs(votes.stand - votes.hang)
    if total == 0:
        return TurnEstimate(turns, 0.0)
    sigmas = lead / math.sqrt(total)
    too_few = total < LEAST_VOTES or lead < LEAST_LEAD
    if sigmas < CLEAR_SIGMAS or max(votes) < LEAST_SHARE * total or too_few:
        confidence = min(sigmas / (2 * CLEAR_SIGMAS), GUESS)
    else:
        confidence = min(0.5 + 0.5 * (sigmas - CLEAR_SIGMAS) / (CERTAIN_SIGMAS - CLEAR_SIGMAS), 1.0)
    return TurnEstimate(turns if votes.stand >= votes.hang else turns + 2, confidence)


def _lines_of(view: View, turns: int) -> ScoredAngle:
    """Return how sharply, and at which angle, print lines up on a page turned by so many quarters."""
    ink = _without_rules(turned(view.ink, turns), view.dpi)
    ends = bottom_edges(np.rot90(view.darkness, turns), ink, COARSE_POINTS)
    return best_angle(ends, 15.0, STEP_DEG, COARSE_POINTS)


def _without_rules(ink: Pixels, dpi: float) -> Pixels:
    height, width = ink.shape
    narrow = cv2.resize(ink, (max(1, width // NARROWER), height), interpolation=cv2.INTER_AREA)
    long = np.ones((1, max(2, round(mm_to_px(RULE_MM, dpi) / NARROWER))), np.uint8)
    rules = cv2.resize(cv2.morphologyEx(narrow, cv2.MORPH_OPEN, long), (width, height), interpolation=cv2.INTER_NEAREST)
    return np.asarray(cv2.subtract(ink, rules), np.uint8)
