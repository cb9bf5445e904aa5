"""Ink and paper: bilevel, white paper, brightness and contrast."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import PaperCells, paper_and_cover, paper_cells
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, darkest_channel, shrunk, to_grey

AROUND_MM = 4.0
SENSITIVITY = 0.22  # Sauvola's k: how much darker than its surroundings ink must be where contrast is low
RANGE_LEVELS = 128.0  # Sauvola's R
BLACK_LEVELS = 90  # darker pixels are always ink
LIGHTEST_INK, DARKEST_INK = 243.0, 40.0  # with paper at 255: the farthest that somebody can move the limit of ink
WHITE_FROM = 222  # with paper at 255, brighter pixels become paper
INK_FROM = 178  # darker pixels stay as they are


def binarise(page: Pixels, dpi: float, ink_more: int = 0) -> NDArray[np.bool_]:
    """Return where ink is, (h, w), True = ink.

    Uneven light and the tint of the paper are taken out first; then each pixel is held against the mean and the
    spread around it (J. Sauvola, M. Pietikäinen, "Adaptive document image binarization", Pattern Recognition 33, 2000).

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.
        ink_more: from -100, only what is black is ink, to 100, what is hardly darker than the paper is, too.

    Raises:
        PictureRefused: not such a picture.
    """
    grey = to_grey(checked(page, dpi))
    return ink_on(grey, dpi, paper_cells(grey, dpi), ink_more)


def ink_on(grey: Pixels, dpi: float, paper: PaperCells, ink_more: int = 0) -> NDArray[np.bool_]:
    """Return where ink is as `binarise` does, on paper that is known: grey (h, w), paper in grey."""
    by = max(1, round(dpi / 75))
    small = shrunk(grey, by)
    bare = np.maximum(paper.sized(*small.shape[::-1]), 1)
    level = cv2.divide(small, bare, scale=255)
    around = (max(3, 2 * round(mm_to_px(AROUND_MM, dpi / by)) + 1),) * 2
    mean = cv2.boxFilter(level, cv2.CV_32F, around)
    spread = np.sqrt(np.maximum(cv2.sqrBoxFilter(level, cv2.CV_32F, around) - mean * mean, 0))
    threshold = np.maximum(mean * (1 + SENSITIVITY * (spread / RANGE_LEVELS - 1)), BLACK_LEVELS)
    if ink_more:
        end = LIGHTEST_INK if ink_more > 0 else DARKEST_INK
        threshold += abs(ink_more) / 100 * (end - threshold)
    limit = np.ceil(cv2.multiply(threshold, bare, scale=1 / 255, dtype=cv2.CV_32F)).astype(np.uint8)
    return np.asarray(grey < cv2.resize(limit, grey.shape[::-1], interpolation=cv2.INTER_LINEAR), np.bool_)


def whiten(page: Pixels, dpi: float) -> Pixels:
    """Return the page with white paper: tint, uneven light and what shines through are gone.

    What has a colour or is dark keeps it: stamps, signatures, print. Pictures, which cover the paper for more than
    9 mm, are only freed from the tint and the uneven light.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        dpi: its resolution.

    Raises:
        PictureRefused: not such a picture.
    """
    whitened, _ = _whitened(page, dpi)
    return whitened


def without_show_through(page: Pixels, dpi: float) -> Pixels:
    """Return the page without what shines through from its back; its paper keeps its tint and its light.

    What has a colour or is dark stays, and so do pictures, as by `whiten`. Raises PictureRefused.
    """
    whitened, paper = _whitened(page, dpi)
    return np.asarray(cv2.multiply(whitened, paper, scale=1 / 255), np.uint8)


def adjusted(page: Pixels, brightness: int, contrast: int) -> Pixels:
    """Return the page brighter or darker, with more or less contrast.

    A level v of 0 to 255 becomes `slope * (v - 128) + 128 + 1.28 * brightness`, with a slope of `1 + contrast / 50`
    above 0 and `1 + contrast / 100` below.

    Args:
        page: grey (h, w) or RGB (h, w, 3), uint8.
        brightness: -100 to 100.
        contrast: -100 to 100.
    """
    if not brightness and not contrast:
        return page
    slope = 1 + contrast / (50 if contrast > 0 else 100)
    levels = slope * (np.arange(256) - 128) + 128 + 1.28 * brightness
    return np.asarray(cv2.LUT(page, np.rint(levels).clip(0, 255).astype(np.uint8)), np.uint8)


def _whitened(page: Pixels, dpi: float) -> tuple[Pixels, Pixels]:
    """Return the page with white paper, and the colour of its paper."""
    paper = paper_and_cover(checked(page, dpi), dpi)
    level = cv2.divide(page, paper.colour, scale=255)
    keeps = np.clip((WHITE_FROM - np.arange(256)) / (WHITE_FROM - INK_FROM), 0, 1)
    share = cv2.LUT(darkest_channel(np.asarray(level, np.uint8)), np.rint(255 * keeps).astype(np.uint8))
    share[paper.covered] = 255
    whitened = np.empty(page.shape, np.uint8)
    _pale(*(np.asarray(part, np.uint8).reshape(-1) for part in (level, share, whitened)))
    return whitened, paper.colour


@compiled("u1(u1, u1)", inline="always")
def _nearer_white(level: int, share: int) -> int:
    gap = np.uint32(255 - level) * np.uint32(share) + np.uint32(128)
    return int(255 - ((gap + (gap >> np.uint32(8))) >> np.uint32(8)))  # the gap / 255, rounded


@compiled("void(u1[::1], u1[::1], u1[::1])")
def _pale(level: NDArray[np.uint8], share: NDArray[np.uint8], whitened: NDArray[np.uint8]) -> None:
    """Bring levels nearer to white: of what lacks, a share of 255 is kept.

    Args:
        level: of all channels of all pixels.
        share: of each pixel.
        whitened: is filled, as long as `level`.
    """
    if level.size == share.size:
        for at in range(share.size):
            whitened[at] = _nearer_white(level[at], share[at])
        return
    for at in range(share.size):  # no loop over the three channels: so it is compiled to work on many pixels at once
        whitened[3 * at] = _nearer_white(level[3 * at], share[at])
        whitened[3 * at + 1] = _nearer_white(level[3 * at + 1], share[at])
        whitened[3 * at + 2] = _nearer_white(level[3 * at + 2], share[at])
