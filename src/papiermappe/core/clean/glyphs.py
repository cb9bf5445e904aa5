"""Single letters, and what neighbours say of which way up they stand.

Two neighbours of different height that stand on one line speak for upright print (an x beside an l); two that hang
from one line speak against it (an x beside a p). Dots and commas stand low. Capitals and digits alone say nothing.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.pieces import Boxes, boxes_of
from papiermappe.core.compiled import compiled
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels

INK_LEVELS = 30
AROUND_MM = 5.0
HEIGHT_MM = (0.8, 8.0)
MAX_LETTERS = 1_500
MAX_DOTS = 1_000
DOT_MM = 0.2
DOT_SHARE = 0.4  # a dot is at most this tall, compared with the letter before it
SAME_SHARE = 0.12  # of the taller height: ends within this lie on one line
OTHER_SHARE = 0.18  # of the taller height: ends at least this far apart do not


class Glyphs(NamedTuple):
    """What may be letters, and what may be dots and commas."""

    letters: Boxes
    dots: Boxes


def pieces_of(grey: Pixels, dpi: float) -> Boxes:
    """Return the boxes of all connected pieces of ink on a grey page (h, w)."""
    around = 2 * round(mm_to_px(AROUND_MM, dpi) / 2) + 1
    _, ink = cv2.threshold(cv2.subtract(cv2.blur(grey, (around, around)), grey), INK_LEVELS, 1, cv2.THRESH_BINARY)
    return boxes_of(np.asarray(ink, np.uint8))


def letters_among(pieces: Boxes, dpi: float) -> int:
    """Return how many letters pieces of ink may be: large ones count too, and a long piece as several run together."""
    low = mm_to_px(HEIGHT_MM[0], dpi)
    short, long = np.minimum(pieces.width, pieces.height), np.maximum(pieces.width, pieces.height)
    single = _shaped(pieces) & (pieces.height >= low)
    return int(np.where(short >= low, np.rint(long / np.maximum(short, 1)), single).sum())


def glyphs_of(pieces: Boxes, dpi: float, skew_deg: float) -> Glyphs:
    """Return the letters and dots among pieces of ink, placed as if the page's skew were removed."""
    least, low, high = (mm_to_px(mm, dpi) for mm in (DOT_MM, *HEIGHT_MM))
    shaped = _shaped(pieces)
    letters = shaped & (pieces.height >= low) & (pieces.height <= high)
    dots = shaped & (pieces.height >= least) & (pieces.height < low)
    level = _levelled(pieces, skew_deg)
    return Glyphs(level.select(_first(letters, MAX_LETTERS)), level.select(_first(dots, MAX_DOTS)))


class Votes(NamedTuple):
    """What pairs of neighbours say."""

    stand: int
    """How many stand on one line."""
    hang: int
    """How many hang from one."""


def votes_of(glyphs: Glyphs) -> Votes:
    """Return how many pairs of neighbours stand on a line, and how many hang from one."""
    letters, dots = _votes_of_letters(glyphs.letters), _votes_of_dots(glyphs)
    return Votes(letters[0] + dots[0], letters[1] + dots[1])


def _shaped(pieces: Boxes) -> NDArray[np.bool_]:
    return np.asarray((pieces.width <= 2 * pieces.height) & (pieces.width >= pieces.height / 10), np.bool_)


def _first(chosen: NDArray[np.bool_], most: int) -> NDArray[np.bool_]:
    return np.asarray(chosen & (np.cumsum(chosen) <= most), np.bool_)


def _levelled(boxes: Boxes, skew_deg: float) -> Boxes:
    """Move boxes to where they would lie if the page were turned clockwise by its skew."""
    sin, cos = np.sin(np.radians(skew_deg)), np.cos(np.radians(skew_deg))
    middle = (boxes.left + boxes.right) / 2
    along = middle * cos - (boxes.top + boxes.bottom) / 2 * sin
    level = middle * sin
    half = boxes.width / 2
    return Boxes(along - half, along + half, level + boxes.top * cos, level + boxes.bottom * cos)


def _votes_of_letters(letters: Boxes) -> tuple[int, int]:
    """Return how many neighbours of different height stand on one line, and how many hang from one."""
    order = np.argsort(letters.left, kind="stable")
    return _votes_of_neighbours(*(side[order] for side in letters))


@compiled("UniTuple(i8, 2)(f8[::1], f8[::1], f8[::1], f8[::1])")
def _votes_of_neighbours(
    left: NDArray[np.float64], right: NDArray[np.float64], top: NDArray[np.float64], bottom: NDArray[np.float64]
) -> tuple[int, int]:
    """Compare each letter with its nearest neighbour on the right; letters come sorted by their left sides."""
    stand = hang = 0
    tallest = np.max(bottom - top) if len(top) else 0.0
    for letter in range(len(left)):
        for other in range(letter + 1, len(left)):
            gap = left[other] - right[letter]
            if gap >= 0.9 * tallest:  # and so are those of all others
                break
            heights = bottom[letter] - top[letter], bottom[other] - top[other]
            small, tall = min(heights), max(heights)
            overlap = min(bottom[letter], bottom[other]) - max(top[letter], top[other])
            if -0.3 * small < gap < 0.9 * tall and overlap > 0.5 * small and left[other] > left[letter]:
                tops, bottoms = abs(top[letter] - top[other]) / tall, abs(bottom[letter] - bottom[other]) / tall
                stand += bottoms < SAME_SHARE and tops > OTHER_SHARE
                hang += tops < SAME_SHARE and bottoms > OTHER_SHARE
                break
    return stand, hang


def _votes_of_dots(glyphs: Glyphs) -> tuple[int, int]:
    """Return how many dots stand low behind a letter, and how many high; those over or under something do not count."""
    letters = Boxes(*(np.ascontiguousarray(side) for side in glyphs.letters))
    low = high = 0
    for left, right, top, bottom in np.array(glyphs.dots).T:
        place = _place_behind(*letters, (left + right) / 2, (top + bottom) / 2, bottom - top)
        low += place > 0.7
        high += place < 0.3
    return low, high


@compiled("f8(f8[::1], f8[::1], f8[::1], f8[::1], f8, f8, f8)")
def _place_behind(
    left: NDArray[np.float64],
    right: NDArray[np.float64],
    top: NDArray[np.float64],
    bottom: NDArray[np.float64],
    across: float,
    level: float,
    size: float,
) -> float:
    """Return how far down a dot is behind the letter before it: 0 its top, 1 its bottom; NaN where it is over one."""
    least_gap = found = np.nan
    for letter in range(len(left)):
        height = bottom[letter] - top[letter]
        place = (level - top[letter]) / height
        if left[letter] < across < right[letter] and abs(place - 0.5) < 1.5:
            return np.nan
        gap = across - right[letter]
        if 0 < gap < 0.6 * height and -0.1 < place < 1.25 and size < DOT_SHARE * height and not gap >= least_gap:
            least_gap, found = gap, place
    return found
