"""Ink and paper: bilevel, white paper, brightness and contrast."""

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import PaperCells, paper_and_cover, paper_cells
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey

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
    whitened = np.empty(page.shape, np.uint8)
    rows, paper_rows = (np.ascontiguousarray(levels).reshape(len(page), -1) for levels in (page, paper.colour))
    _whiten_rows(rows, paper_rows, paper.covered, whitened.reshape(len(page), -1))
    return whitened, paper.colour


@compiled("void(u1[:, ::1], u1[:, ::1], b1[:, ::1], u1[:, ::1])", error_model="numpy")
def _whiten_rows(
    page: NDArray[np.uint8], paper: NDArray[np.uint8], covered: NDArray[np.bool_], whitened: NDArray[np.uint8]
) -> None:
    """Take the colour of the paper out of a page, then bring what is nearly white nearer to white.

    Row by row, so that what comes between stays in the processor's cache; each step is a plain loop, compiled to
    work on many levels at once.

    Args:
        page: its levels, (h, w x channels) with 1 or 3 channels.
        paper: those of the paper alone, likewise.
        covered: (h, w), where a picture is, of which all is kept.
        whitened: is filled, as large as `page`.
    """
    levels = np.empty(page.shape[1], np.uint8)
    shares = np.empty(page.shape[1], np.uint8)
    for row in range(len(page)):
        _against_paper(page[row], paper[row], levels)
        if page.shape[1] == covered.shape[1]:
            _shares_of_grey(levels, covered[row], shares)
        else:
            _shares_of_colour(levels, covered[row], shares)
        _pale(levels, shares, whitened[row])


@compiled("void(u1[::1], u1[::1], u1[::1])", error_model="numpy")
def _against_paper(page: NDArray[np.uint8], paper: NDArray[np.uint8], levels: NDArray[np.uint8]) -> None:
    """Fill `levels` with those of a page on paper whose own are 255; 0 where the paper is black."""
    for at in range(page.size):
        level = np.float32(page[at]) * np.float32(255) / np.float32(paper[at])
        levels[at] = np.uint8(np.int32(np.rint(min(level, np.float32(255))))) if paper[at] else np.uint8(0)


@compiled("u1(u1, b1)", inline="always")
def _share(level: np.uint8, is_covered: np.bool_) -> np.uint8:
    """Return how much is kept, of 255, of what a level lacks to white."""
    share = np.rint(np.float32(WHITE_FROM - level) * np.float32(255 / (WHITE_FROM - INK_FROM)))
    kept = np.uint8(np.int32(min(max(share, np.float32(0)), np.float32(255))))
    return np.uint8(255) if is_covered else kept


@compiled("void(u1[::1], b1[::1], u1[::1])")
def _shares_of_grey(levels: NDArray[np.uint8], covered: NDArray[np.bool_], shares: NDArray[np.uint8]) -> None:
    for at in range(covered.size):
        shares[at] = _share(levels[at], covered[at])


@compiled("void(u1[::1], b1[::1], u1[::1])")
def _shares_of_colour(levels: NDArray[np.uint8], covered: NDArray[np.bool_], shares: NDArray[np.uint8]) -> None:
    """Fill `shares`, for all channels alike: the darkest tells."""
    for at in range(covered.size):  # no loop over the three channels: it would be compiled to a slow one
        darkest = min(levels[3 * at], min(levels[3 * at + 1], levels[3 * at + 2]))
        share = _share(darkest, covered[at])
        shares[3 * at] = share
        shares[3 * at + 1] = share
        shares[3 * at + 2] = share


@compiled("void(u1[::1], u1[::1], u1[::1])")
def _pale(levels: NDArray[np.uint8], shares: NDArray[np.uint8], whitened: NDArray[np.uint8]) -> None:
    """Bring levels nearer to white: of what each lacks, its share of 255 is kept."""
    for at in range(levels.size):  # all in 16 bits: twice as many at once as in 32
        gap = np.uint16(np.uint16(np.uint8(255 - levels[at])) * np.uint16(shares[at])) + np.uint16(128)
        whitened[at] = np.uint8(np.uint16(255) - ((np.uint16(gap) + (np.uint16(gap) >> np.uint16(8))) >> np.uint16(8)))
