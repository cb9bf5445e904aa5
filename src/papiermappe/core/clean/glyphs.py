"""Single letters, and what neighbours say of which way up they stand.

Two neighbours of different height that stand on one line speak for upright print (an x beside an l); two that hang
from one line speak against it (an x beside a p). Dots and commas stand low. Capitals and digits alone say nothing.
"""

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

INK_LEVELS = 30
AROUND_MM = 5.0
HEIGHT_MM = (0.8, 8.0)
MOST_LETTERS = 1_500
MOST_DOTS = 1_000
DOT_MM = 0.2
DOT_SHARE = 0.4  # of the letter before it, at most
SAME_SHARE = 0.12  # of the taller height: ends that are so near lie on one line
OTHER_SHARE = 0.18  # ends that are so far apart do not


class Boxes(NamedTuple):
    """Boxes, levelled: (n,) each, in px, `top` and `bottom` from the top of the page."""

    left: NDArray[np.float64]
    right: NDArray[np.float64]
    top: NDArray[np.float64]
    bottom: NDArray[np.float64]

    @property
    def height(self) -> NDArray[np.float64]:
        """How tall each is."""
        return self.bottom - self.top

    def those(self, chosen: NDArray[np.bool_]) -> "Boxes":
        """Return some of them."""
        return Boxes(*(side[chosen] for side in self))


class Glyphs(NamedTuple):
    """What may be letters, and what may be dots and commas."""

    letters: Boxes
    dots: Boxes


def glyphs_of(grey: Pixels, dpi: float, skew_deg: float) -> Glyphs:
    """Return the letters and dots of a grey page (h, w), as they lie when its skew is taken out."""
    around = 2 * round(mm_to_px(AROUND_MM, dpi) / 2) + 1
    ink = (cv2.subtract(cv2.blur(grey, (around, around)), grey) > INK_LEVELS).astype(np.uint8)
    _, _, stats, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    left, top, width, height = stats[1:, :4].T.astype(np.float64)
    least, low, high = (mm_to_px(mm, dpi) for mm in (DOT_MM, *HEIGHT_MM))
    shaped = (width <= 2 * height) & (width >= height / 10)
    boxes = _levelled(left, top, width, height, skew_deg)
    letters = shaped & (height >= low) & (height <= high)
    dots = shaped & (height >= least) & (height < low)
    return Glyphs(boxes.those(_first(letters, MOST_LETTERS)), boxes.those(_first(dots, MOST_DOTS)))


def rise_of(glyphs: Glyphs) -> float:
    """Return how clearly print stands on its lines: votes for less votes against, over the root of all votes."""
    votes = np.array(_votes_of_letters(glyphs.letters)) + np.array(_votes_of_dots(glyphs))
    return float(votes[0] - votes[1]) / math.sqrt(max(int(votes.sum()), 1))


def _first(chosen: NDArray[np.bool_], most: int) -> NDArray[np.bool_]:
    return np.asarray(chosen & (np.cumsum(chosen) <= most), np.bool_)


def _levelled(
    left: NDArray[np.float64],
    top: NDArray[np.float64],
    width: NDArray[np.float64],
    height: NDArray[np.float64],
    skew_deg: float,
) -> Boxes:
    """Move boxes to where they lie when the page is turned clockwise by its skew."""
    sin, cos = np.sin(np.radians(skew_deg)), np.cos(np.radians(skew_deg))
    middle = left + width / 2
    along = middle * cos - (top + height / 2) * sin
    level = middle * sin
    return Boxes(along - width / 2, along + width / 2, level + top * cos, level + (top + height) * cos)


def _votes_of_letters(letters: Boxes) -> tuple[int, int]:
    """Return how many neighbours of different height stand on one line, and how many hang from one."""
    left, right, top, bottom = letters
    height = letters.height
    each = np.arange(len(left))
    if len(each) < 2:
        return 0, 0
    gap = left[None, :] - right[:, None]
    overlap = np.minimum(bottom[:, None], bottom[None, :]) - np.maximum(top[:, None], top[None, :])
    tall, small = np.maximum(height[:, None], height[None, :]), np.minimum(height[:, None], height[None, :])
    beside = (gap > -0.3 * small) & (gap < 0.9 * tall) & (overlap > 0.5 * small) & (left[None, :] > left[:, None])
    nearest = np.where(beside, gap, np.inf).argmin(axis=1)
    each = each[beside[each, nearest]]
    other = nearest[each]
    taller = np.maximum(height[each], height[other])
    tops, bottoms = np.abs(top[each] - top[other]) / taller, np.abs(bottom[each] - bottom[other]) / taller
    stand, hang = (bottoms < SAME_SHARE) & (tops > OTHER_SHARE), (tops < SAME_SHARE) & (bottoms > OTHER_SHARE)
    return int(stand.sum()), int(hang.sum())


def _votes_of_dots(glyphs: Glyphs) -> tuple[int, int]:
    """Return how many dots stand low behind a letter, and how many high; those over or under something do not count."""
    letters, dots = glyphs
    if not len(letters.left) or not len(dots.left):
        return 0, 0
    height = letters.height[None, :]
    middle = (dots.left + dots.right)[:, None] / 2
    level = (dots.top + dots.bottom)[:, None] / 2
    gap = middle - letters.right[None, :]
    place = (level - letters.top[None, :]) / height
    small = dots.height[:, None] < DOT_SHARE * height
    behind = (gap > 0) & (gap < 0.6 * height) & (place > -0.1) & (place < 1.25) & small
    covered = ((letters.left[None, :] < middle) & (letters.right[None, :] > middle) & (np.abs(place - 0.5) < 1.5)).any(
        axis=1
    )
    nearest = np.where(behind, gap, np.inf).argmin(axis=1)
    each = np.arange(len(middle))
    used = behind[each, nearest] & ~covered
    places = place[each, nearest][used]
    return int((places > 0.7).sum()), int((places < 0.3).sum())
