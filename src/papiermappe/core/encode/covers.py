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
FIELD_GRAIN_LEVELS, LEAST_FIELD_LEVELS = 25, 60  # how much darker grain is than its field; how much paper is lighter


class Covers(NamedTuple):
    """What covers the paper for several mm."""

    pictures: Ink
    """(h, w)."""
    field_limits: Pixels | None
    """(h, w): in dark fields, what is darker than this is of the field; 0 elsewhere. None: there is no field."""


def find_covers(grey: Pixels, paper: PaperCells) -> Covers:
    """Return where pictures and dark fields cover the paper of a grey page (h, w)."""
    count, labels = cv2.connectedComponents(paper.covered.astype(np.uint8), connectivity=8)
    if count == 1:
        return Covers(np.zeros(grey.shape, np.bool_), None)
    levels = grey[::SAMPLED, ::SAMPLED]
    cells = cv2.resize(labels.astype(np.float32), levels.shape[::-1], interpolation=cv2.INTER_NEAREST)
    pictures, limits = np.zeros(count, np.uint8), np.zeros(count, np.uint8)
    for label in range(1, count):
        there = levels[cells == label]
        pictures[label] = _is_picture(there)
        if not pictures[label]:
            limits[label] = _field_limit(there, float(np.median(paper.colour[np.asarray(labels) == label])))
    means = cv2.resize(grey, labels.shape[::-1], interpolation=cv2.INTER_AREA)
    limited = np.where(means < limits[labels], limits[labels], 0).astype(np.uint8)
    fields = _over(limited, grey) if limited.any() else None
    return Covers(_over(pictures[labels], grey).view(np.bool_), fields)


def _over(cells: NDArray[np.uint8], grey: Pixels) -> Pixels:
    """Return what cells say, and those beside them, for each pixel of a page."""
    wide = cv2.dilate(cells, np.ones((3, 3), np.uint8))
    return np.asarray(cv2.resize(wide, grey.shape[::-1], interpolation=cv2.INTER_NEAREST), np.uint8)


def _field_limit(levels: NDArray[np.uint8], paper: float) -> int:
    """Return the level below which a dark field is, so that its grain is no print; 0 where it is no such field.

    Print that is darker than its field stays print: a field is the darkest there is on it.
    """
    dark = levels[levels < paper - LEAST_FIELD_LEVELS]
    if not dark.size:
        return 0
    field = int(np.argmax(np.convolve(np.bincount(dark, minlength=256), np.ones(9), "same")))
    is_darkest = field - float(np.percentile(dark, 3)) < FIELD_GRAIN_LEVELS
    return round((field + paper) / 2) if is_darkest else 0


def _is_picture(levels: NDArray[np.uint8]) -> bool:
    """Return whether much of an area is between dark and light."""
    if not levels.size:
        return False
    dark, light = (float(level) for level in np.percentile(levels, (3, 97)))
    low, high = (dark + share * (light - dark) for share in BETWEEN)
    return bool(((levels > low) & (levels < high)).mean() > PICTURE_SHARE)
