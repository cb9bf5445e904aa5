"""Whether a page has colour, shades of grey, or ink and paper only.

Colour fringes at the edges of print cancel when they are averaged over a millimetre; a pen stroke does not. The tint
of the paper itself is taken out first.
"""

from enum import StrEnum
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.clean.view import View, view_of
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, darkest_channel, shrunk

CHROMA_DPI = 75
AROUND_MM = 1.2
COLOUR_LEVELS = 7.5  # mean chroma over `AROUND_MM`, against the paper's
WEAK_COLOUR_LEVELS = 5.8  # the same where a large enough area has colour
WEAK_LEVELS = 5.0
TOGETHER_MM = 8.0
TOGETHER_LEVELS_MM2 = 4.0  # chroma times area, of one hue
MIDDLE_LEVELS = 1.0  # a pixel within this of the darkest around it is in the middle of a stroke
PAPER_LEVELS = 35  # a pixel within this of paper or of ink is not grey
STROKE_MM = 0.85  # wider than the soft edges of print
GREY_MM2 = 12.0
RIM_MM = 2.0


class ColourKind(StrEnum):
    """What a page needs to be shown as it is."""

    BILEVEL = "bilevel"
    GREY = "grey"
    COLOUR = "colour"


class ColourEstimate(NamedTuple):
    """What a page needs."""

    kind: ColourKind
    confidence: float
    """0 to 1; below 0.5 the answer is a guess."""


def judge_colour(page: Pixels | View, dpi: float) -> ColourEstimate:
    """Judge what a page needs to be shown as it is: colour, grey or bilevel.

    Args:
        page: the sheet without its backing, grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    view = view_of(page, dpi, colour=True)
    colour = 0.0
    if view.pixels.ndim == 3:
        by = max(1, int(view.dpi // CHROMA_DPI))
        colour = _colour_weight(shrunk(view.pixels, by), shrunk(view.paper, by), view.dpi / by)
    if colour >= 1.0:
        return ColourEstimate(ColourKind.COLOUR, float(np.clip(colour / 2, 0.5, 1.0)))
    grey = _grey_mm2(view.darker, view.dpi) / GREY_MM2
    sure = float(np.clip(1.0 - colour / 2, 0.0, 1.0))
    if grey >= 1.0:
        return ColourEstimate(ColourKind.GREY, sure)
    return ColourEstimate(ColourKind.BILEVEL, min(sure, float(np.clip(1.0 - grey / 2, 0.0, 1.0))))


def _colour_weight(page: Pixels, paper: Pixels, dpi: float) -> float:
    """Return how much the most coloured mark stands out: from 1 on it is one.

    Chroma is looked at where strokes have their middle: there the fringes of both sides of a black one cancel. A weak
    colour counts where much of it, of one hue, lies together.
    """
    neutral = cv2.divide(page, paper, scale=255)
    ycc = cv2.cvtColor(neutral, cv2.COLOR_RGB2YCrCb)
    size = max(1, round(mm_to_px(AROUND_MM, dpi)))
    red, blue = (
        cv2.boxFilter(ycc[..., at], cv2.CV_32F, (size, size)) - np.float32(np.median(ycc[::4, ::4, at]))
        for at in (1, 2)
    )
    chroma = cv2.magnitude(red, blue)
    darkness = 255 - cv2.boxFilter(darkest_channel(np.asarray(neutral, np.uint8)), cv2.CV_32F, (size, size))
    middle = darkness >= cv2.dilate(darkness, np.ones((size, size), np.uint8)) - MIDDLE_LEVELS
    chroma[~middle] = 0
    rim = round(mm_to_px(RIM_MM, dpi))
    inner = (slice(rim, -rim), slice(rim, -rim)) if min(chroma.shape) > 4 * rim else (slice(None), slice(None))
    strongest = float(chroma[inner].max())
    if not WEAK_COLOUR_LEVELS <= strongest < COLOUR_LEVELS:
        return strongest / COLOUR_LEVELS
    weak = (chroma[inner] >= WEAK_LEVELS).astype(np.float32)
    reach = max(1, round(mm_to_px(TOGETHER_MM, dpi)))
    sums = (cv2.boxFilter(axis[inner] * weak, cv2.CV_32F, (reach, reach), normalize=False) for axis in (red, blue))
    together = float(cv2.magnitude(*sums).max()) / mm_to_px(1, dpi) ** 2
    return max(strongest / COLOUR_LEVELS, min(strongest / WEAK_COLOUR_LEVELS, together / TOGETHER_LEVELS_MM2))


def _grey_mm2(darker: Pixels, dpi: float) -> float:
    """Return the area that is neither paper nor ink, edges of print left out."""
    ink_level = float(np.percentile(darker[::3, ::3], 99.5))
    between = ((darker > PAPER_LEVELS) & (darker < max(ink_level - PAPER_LEVELS, PAPER_LEVELS))).astype(np.uint8)
    width = max(2, round(mm_to_px(STROKE_MM, dpi)))
    wide = cv2.morphologyEx(between, cv2.MORPH_OPEN, np.ones((width, width), np.uint8))
    return float(cv2.countNonZero(wide)) / mm_to_px(1, dpi) ** 2
