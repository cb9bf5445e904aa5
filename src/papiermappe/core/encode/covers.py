"""What covers the paper of a page for several mm: pictures, and dark fields with print on them."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import PaperCells
from papiermappe.core.encode.ink import Ink
from papiermappe.core.picture import Pixels

SAMPLED = 2  # every second pixel of every second row is sampled
BETWEEN = (0.25, 0.75)  # the range between dark and light, as shares of the way
PICTURE_SHARE = 0.25  # a covered area with more than this share between dark and light is a picture, not a dark field
DARKEST_SHARE = 0.03  # of an area, that is as dark as it gets
FIELD_LEVELS = 9  # a field has about one level
FIELD_GRAIN_LEVELS, LEAST_FIELD_LEVELS = 25, 60  # how much darker grain is than its field; how much paper is lighter
LEVELS = 256

Counts = NDArray[np.intp]
"""(n, 256): how often each level is in each of n areas."""


class Covers(NamedTuple):
    """What covers the paper for several mm."""

    pictures: Ink
    """(h, w)."""
    field_limits: Pixels | None
    """(h, w): in dark fields, what is darker than this is of the field; 0 elsewhere. None: there is no field."""


def find_covers(grey: Pixels, paper: PaperCells) -> Covers:
    """Return where pictures and dark fields cover the paper of a page.

    Args:
        grey: the page, (h, w).
        paper: of it, in grey.
    """
    count, labels = cv2.connectedComponents(paper.covered.astype(np.uint8), connectivity=8)
    if count == 1:
        return Covers(np.zeros(grey.shape, np.bool_), None)
    levels = grey[::SAMPLED, ::SAMPLED]
    areas = np.asarray(cv2.resize(labels.astype(np.float32), levels.shape[::-1], interpolation=cv2.INTER_NEAREST))
    counts = _level_counts(areas, levels, count)
    papers = _levels_at(_level_counts(labels, paper.colour, count), 0.5)
    pictures = _are_pictures(counts)
    limits = np.where(pictures, 0, _field_limits(counts, papers)).astype(np.uint8)
    means = cv2.resize(grey, labels.shape[::-1], interpolation=cv2.INTER_AREA)
    limited = np.where(means < limits[labels], limits[labels], 0).astype(np.uint8)
    fields = _over(limited, grey) if limited.any() else None
    return Covers(_over(pictures.astype(np.uint8)[labels], grey).view(np.bool_), fields)


def _over(cells: NDArray[np.uint8], grey: Pixels) -> Pixels:
    """Return what cells say, and those beside them, for each pixel of a page."""
    wide = cv2.dilate(cells, np.ones((3, 3), np.uint8))
    return np.asarray(cv2.resize(wide, grey.shape[::-1], interpolation=cv2.INTER_NEAREST), np.uint8)


def _level_counts(areas: NDArray[np.number], levels: Pixels, count: int) -> Counts:
    """Return how often each level is in each of the numbered areas of a page; in area 0, which is none, never."""
    there = areas > 0
    numbered = areas[there].astype(np.intp) * LEVELS + levels[there]
    return np.bincount(numbered, minlength=count * LEVELS).reshape(count, LEVELS)


def _levels_at(counts: Counts, share: float) -> NDArray[np.float64]:
    """Return for each area the level below which a share of it lies, (n,), between two levels by their ranks."""
    rank = share * (counts.sum(axis=1) - 1)
    below = counts.cumsum(axis=1)
    low, high = ((below <= place[:, None]).sum(axis=1) for place in (np.floor(rank), np.ceil(rank)))
    return np.asarray(low + (high - low) * (rank - np.floor(rank)), np.float64)


def _field_limits(counts: Counts, papers: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the level below which a dark field is, so that its grain is no print, (n,); 0 where it is no such field.

    Print that is darker than its field stays print: a field is the darkest there is on it.
    """
    dark = np.where(np.arange(LEVELS) < papers[:, None] - LEAST_FIELD_LEVELS, counts, 0)
    smooth = cv2.blur(dark.astype(np.float32), (FIELD_LEVELS, 1), borderType=cv2.BORDER_CONSTANT)
    field = np.asarray(smooth).argmax(axis=1)
    is_field = (dark.sum(axis=1) > 0) & (field - _levels_at(dark, DARKEST_SHARE) < FIELD_GRAIN_LEVELS)
    return np.asarray(np.where(is_field, np.rint((field + papers) / 2), 0), np.float64)


def _are_pictures(counts: Counts) -> NDArray[np.bool_]:
    """Return of which areas much is between dark and light, (n,)."""
    dark, light = _levels_at(counts, DARKEST_SHARE), _levels_at(counts, 1 - DARKEST_SHARE)
    low, high = ((dark + share * (light - dark))[:, None] for share in BETWEEN)
    levels = np.arange(LEVELS)
    between = np.where((levels > low) & (levels < high), counts, 0).sum(axis=1)
    return np.asarray(between > PICTURE_SHARE * counts.sum(axis=1), np.bool_)
